/** Reads a kept volume again and compares. */
import { isHere, type Place } from '@/core/place';
import { formatSize } from '@/core/size';
import * as z from 'zod';
import {
  baseShape,
  byteCount,
  givesSchema,
  placeSchema,
  numberSchema,
  receiptSchema,
  type Gives,
  type ProofBy,
  type Receives,
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
  /** What comes to it in this run, and which folders go from it. */
  readonly receives?: readonly Receives[];
  readonly gives?: readonly Gives[];
  /** Its kind, where something comes to it or goes. */
  readonly fileSystem?: string;
  /** It is made in this run, so that nothing was on it before. */
  readonly made?: true;
}

export const prove: StepKind<ProveStep> = {
  schema: z.strictObject({
    kind: z.literal('prove'),
    ...baseShape,
    number: numberSchema,
    measure: numberSchema.optional(),
    by: z.enum(['files', 'whole']),
    at: placeSchema,
    files: byteCount,
    receives: z.array(receiptSchema).max(1000).optional(),
    gives: z.array(givesSchema).max(1000).optional(),
    fileSystem: z.string().max(20).optional(),
    made: z.literal(true).optional(),
  }),
  words: ({ name, by, cost }, units) => ({
    title: `Prove ${name}: compare every ${by === 'files' ? 'file' : 'byte'}`,
    detail: `${formatSize(cost.reads, units)} read again`,
  }),
  reason: () => 'The same reading as at the start, compared with it one by one.',
  claims: ({ at, number, made }, owners) => {
    owners.at(at, made || !isHere(at) ? undefined : number);
    return owners;
  },
  touches: () => [],
};
