/** Checks a kept volume and reads it for the proof. */
import { isHere, type Place } from '@/core/place';
import * as z from 'zod';
import { filesWords } from '../words';
import {
  baseShape,
  byteCount,
  numberSchema,
  placeSchema,
  type ProofBy,
  type StepBase,
  type StepKind,
} from './step-kind';

export interface CheckStep extends StepBase {
  readonly kind: 'check';
  readonly number: number;
  readonly by: ProofBy;
  /** Set when a step changes the volume, which errors then forbid. */
  readonly changes: boolean;
  readonly at: Place;
  readonly files: number;
  /** What can’t be read of it is taken for zeros, and told: it is copied as far as it goes. */
  readonly salvage?: true;
  /** It is read as it is once it was mended. */
  readonly mended?: true;
}

export const check: StepKind<CheckStep> = {
  schema: z.strictObject({
    kind: z.literal('check'),
    ...baseShape,
    number: numberSchema,
    by: z.enum(['files', 'whole']),
    changes: z.boolean(),
    at: placeSchema,
    files: byteCount,
    salvage: z.literal(true).optional(),
    mended: z.literal(true).optional(),
  }),
  words: ({ by, name, files }) =>
    by === 'files'
      ? { title: `Check ${name} and read its files`, detail: `${filesWords(files)}, nothing written` }
      : {
          title: `Read ${name} whole`,
          detail: 'its files can’t be read for certain, so it is compared byte for byte',
        },
  reason: ({ changes, salvage }) =>
    salvage
      ? 'What is read now is the measure for its copy.'
      : changes
        ? 'Nothing is built on a fault, and what is read now is the measure for the proof.'
        : 'It is not changed. It is read now so that it can be shown to be the same afterwards.',
  claims: ({ at, number }, owners) => {
    owners.at(at, isHere(at) ? number : undefined);
    return owners;
  },
  touches: () => [],
};
