/** Compares what came to a volume with what it came from, before that may be taken away. */
import type { Place } from '@/core/place';
import { formatSize } from '@/core/size';
import * as z from 'zod';
import { filesWords } from '../words';
import {
  baseShape,
  byteCount,
  herePlaceSchema,
  numberSchema,
  placeSchema,
  receiptSchema,
  type Receives,
  type StepBase,
  type StepKind,
} from './step-kind';

export interface CompareStep extends StepBase {
  readonly kind: 'compare';
  /** The number of the volume that it came to. */
  readonly number: number;
  readonly at: Place;
  readonly fileSystem: string;
  readonly files: number;
  /** Everything that has come to the volume so far, what is compared last. */
  readonly receives: readonly Receives[];
  /** What has come back, as it was read of the volume before: a folder, or everything. */
  readonly returns?: string;
  /** What nobody needs once it is compared. */
  readonly frees?: Place;
}

export const compare: StepKind<CompareStep> = {
  schema: z.strictObject({
    kind: z.literal('compare'),
    ...baseShape,
    number: numberSchema,
    at: placeSchema,
    fileSystem: z.string().max(20),
    files: byteCount,
    receives: z.array(receiptSchema).max(1000),
    returns: z.string().max(40_000).optional(),
    frees: herePlaceSchema.optional(),
  }),
  words: ({ name, files, cost, returns }, units) => ({
    title: returns === undefined ? `Compare what came to ${name}` : `Compare what came back to ${name}`,
    detail: `${filesWords(files)}, ${formatSize(cost.reads, units)} read again`,
  }),
  reason: () => 'Nothing is taken away before it was found at its new place, file by file.',
  claims: ({ at, frees }, owners) => {
    owners.at(at);
    return frees ? owners.without(owners.at(frees)) : owners;
  },
  touches: () => [],
};
