/** Grows a volume over the one behind it and takes its files over where they lie: nothing of what they hold is carried. */
import { transferFactsSchema, type TransferFacts } from '@/core/files';
import { findKind } from '@/core/fs';
import type { Place } from '@/core/place';
import { formatSize } from '@/core/size';
import * as z from 'zod';
import { filesWords } from '../words';
import { nameWords } from './transfer';
import { baseShape, byteCount, herePlaceSchema, type StepBase, type StepKind } from './step-kind';

export interface AdoptStep extends StepBase {
  readonly kind: 'adopt';
  readonly at: Place;
  /** Bytes that it has afterwards. */
  readonly to: number;
  readonly from: Place;
  /** What the volume that goes is called in sentences. */
  readonly source: string;
  readonly fileSystem: string;
  readonly under: string;
  readonly facts: TransferFacts;
}

/** Some kinds have structures of their own at fixed places, where files of the other volume may lie. */
const carriedWords = (kind: string): string =>
  findKind(kind)?.holds.adoptionLoses
    ? 'only what lies where it must have its own structures is carried'
    : 'nothing is carried';

export const adopt: StepKind<AdoptStep> = {
  schema: z.strictObject({
    kind: z.literal('adopt'),
    ...baseShape,
    at: herePlaceSchema,
    to: byteCount,
    from: herePlaceSchema,
    source: z.string().max(200),
    fileSystem: z.string().max(20),
    under: z.string().max(40_000),
    facts: transferFactsSchema,
  }),
  restarts: true,
  words: ({ source, name, under, facts, fileSystem }, units) => ({
    title: `Merge ${source} into ${name}${under ? `, as ${under}` : ''}`,
    detail: `${filesWords(facts.files)}, ${formatSize(facts.bytes, units)}, taken over where they lie: ${carriedWords(fileSystem)}`,
  }),
  reason: () => 'Clusters of both line up, so that only what is written about the files changes, all of it at once.',
  claims: ({ at, to, from }, owners) => {
    const own = owners.at(at);
    return owners
      .without(own)
      .without(owners.at(from))
      .with({ ...at, length: to }, own.volume);
  },
  touches: ({ at, to }) => [{ ...at, length: to }],
  hazards: nameWords,
};
