/** Reads a kept volume again and compares. */
import type { Place } from '@/core/place';
import { formatSize } from '@/core/size';
import { z } from 'zod';
import {
  baseShape,
  byteCount,
  herePlaceSchema,
  numberSchema,
  type ProofBy,
  type StepBase,
  type StepKind,
} from './step-kind';

export interface ProveStep extends StepBase {
  readonly kind: 'prove';
  readonly number: number;
  /** The check whose reading it is compared with, where that has another number than the volume. */
  readonly measure?: number;
  readonly by: ProofBy;
  readonly at: Place;
  readonly files: number;
}

export const prove: StepKind<ProveStep> = {
  schema: z.strictObject({
    kind: z.literal('prove'),
    ...baseShape,
    number: numberSchema,
    measure: numberSchema.optional(),
    by: z.enum(['files', 'whole']),
    at: herePlaceSchema,
    files: byteCount,
  }),
  words: ({ name, by, cost }, units) => ({
    title: `Prove ${name}: compare every ${by === 'files' ? 'file' : 'byte'}`,
    detail: `${formatSize(cost.reads, units)} read again`,
  }),
  reason: () => 'The same reading as at the start, compared with it one by one.',
  claims: ({ at, number }, owners) => {
    owners.at(at, number);
    return owners;
  },
  touches: () => [],
};
