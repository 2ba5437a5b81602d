/** Takes a folder, or everything, from one volume to a place on another one. What it comes from stays as it is. */
import { partSchema, transferFactsSchema, type Part, type TransferFacts } from '@/core/files';
import { isHere, type Place } from '@/core/place';
import { formatSize, spaced } from '@/core/size';
import * as z from 'zod';
import { filesWords } from '../words';
import { baseShape, placeSchema, type StepBase, type StepKind } from './step-kind';

export interface TransferStep extends StepBase {
  readonly kind: 'transfer';
  readonly from: Place;
  /** What the volume that it comes from is called in sentences. */
  readonly source: string;
  readonly at: Place;
  /** The kinds of the two, which decide what can be kept. */
  readonly fileSystem: string;
  readonly folder: string;
  readonly under: string;
  /** What of it goes, where not all does at a time. */
  readonly part?: Part;
  readonly facts: TransferFacts;
  /** It was parked, and comes back. */
  readonly back?: true;
}

const LOST_WORDS: Readonly<Record<keyof TransferFacts['loses'], (n: string) => string>> = {
  streams: (n) => `${n} named streams are left out`,
  'hard links': (n) => `${n} files that have several names become files of their own`,
  links: (n) => `${n} links are left out`,
  'path links': (n) => `${n} symbolic links are left out`,
  'special files': (n) => `${n} special files are left out`,
  owners: () => 'whose they are, and their modes, are not kept',
  'extended attributes': (n) => `extended attributes of ${n} files are left out`,
  rights: () => 'who may do what with them is not kept',
  'change times': () => 'when they were last changed beside their content is not kept',
  compression: (n) => `${n} compressed files take their full size`,
  encryption: (n) => `${n} encrypted files can’t be read`,
};

/** A folder, or everything, or what of it goes at a time. */
export function partWords(folder: string, part: Part | undefined): string {
  const whole = folder || 'everything';
  if (!part) return whole;
  return part.until === undefined ? `the rest of ${whole}` : `a part of ${whole}`;
}

/** What can't be kept, a sentence for all of it. */
function lossWords({ source, name, facts }: TransferStep): string[] {
  const lost = Object.entries(facts.loses).map(([what, n]) =>
    LOST_WORDS[what as keyof TransferFacts['loses']](spaced(n)),
  );
  const marks = Object.entries(facts.attributes).map(([word, n]) => `${spaced(n)} are no longer marked ${word}`);
  const all = [...lost, ...marks];
  return all.length > 0 ? [`Of what goes from ${source} to ${name}: ${all.join('; ')}.`] : [];
}

/** Names that can't be the same at the new place. */
export function nameWords({ name, facts: { renamed } }: Pick<TransferStep, 'name' | 'facts'>): string[] {
  const [first] = renamed.some;
  if (!first) return [];
  return [
    `${spaced(renamed.count)} name${renamed.count === 1 ? '' : 's'} can’t be the same on ${name}, as ${first[0]}, which becomes ${first[1]}.`,
  ];
}

export const transfer: StepKind<TransferStep> = {
  schema: z.strictObject({
    kind: z.literal('transfer'),
    ...baseShape,
    from: placeSchema,
    source: z.string().max(200),
    at: placeSchema,
    fileSystem: z.string().max(20),
    folder: z.string().max(40_000),
    under: z.string().max(40_000),
    part: partSchema.optional(),
    facts: transferFactsSchema,
    back: z.literal(true).optional(),
  }),
  words: ({ source, name, folder, under, facts, back, part }, units) => ({
    title: back
      ? `Bring ${under || 'everything'} back from ${source} to ${name}`
      : `Copy ${partWords(folder, part)} from ${source} to ${name}${under && under !== folder ? `, as ${under}` : ''}`,
    detail: `${filesWords(facts.files)}, ${formatSize(facts.bytes, units)}`,
  }),
  reason: () => 'There is room for it by now. Nothing is taken away from where it is before all of it was compared.',
  claims: ({ at, from }, owners) => {
    if (owners.at(at).volume === 'original') throw new RangeError('files would go to a volume that is only read');
    owners.at(from);
    return owners;
  },
  touches: ({ at }) => [at],
  hazards: (step) => [...lossWords(step), ...nameWords(step)],
  reads: ({ from }) => (isHere(from) ? [] : [from.disk]),
};
