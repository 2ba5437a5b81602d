/** Writes over what nobody wants: the places of volumes that go, what is unallocated, free space inside a volume, a whole disk. */
import { PATTERNS, type Pattern } from '@/core/health';
import type { Place } from '@/core/place';
import { formatSize } from '@/core/size';
import * as z from 'zod';
import { baseShape, herePlaceSchema, numberSchema, type StepBase, type StepKind } from './step-kind';

/** What is wiped: see `WipeWish` of the layout. */
type Wiped = 'unallocated' | 'free' | 'volume' | 'disk';

export interface WipeStep extends StepBase {
  readonly kind: 'wipe';
  readonly what: Wiped;
  /** Stretches that are written over; of free space the volume in which they are found once it is as it will be. */
  readonly places: readonly Place[];
  /** The volume whose free space it is. */
  readonly number?: number;
  readonly passes: readonly Pattern[];
  /** The share that is read back and compared, from 0 to 1. */
  readonly compare: number;
}

const PASS_WORDS: Readonly<Record<Pattern, string>> = { zeros: 'zeros', ones: 'ones', random: 'random bytes' };

const titleOf = ({ what, name }: WipeStep): string => {
  if (what === 'free') return `Wipe the free space of ${name}`;
  return what === 'volume'
    ? `Wipe what ${name} held`
    : what === 'disk'
      ? 'Wipe the whole disk'
      : 'Wipe what is unallocated';
};

/** Passes and comparison in words. */
export function wipeWords({ passes, compare }: Pick<WipeStep, 'passes' | 'compare'>): string {
  const written = passes.map((p) => PASS_WORDS[p]).join(', then ');
  const share = compare >= 1 ? 'all of it' : `${Math.round(compare * 1000) / 10} % of it`;
  return `written over with ${written}${compare > 0 ? `, ${share} read back and compared` : ', not compared'}`;
}

export const wipe: StepKind<WipeStep> = {
  schema: z.strictObject({
    kind: z.literal('wipe'),
    ...baseShape,
    what: z.enum(['unallocated', 'free', 'volume', 'disk']),
    places: z.array(herePlaceSchema).max(10_000),
    number: numberSchema.optional(),
    passes: z.array(z.enum(PATTERNS)).min(1).max(35),
    compare: z.number().min(0).max(1),
  }),
  restarts: ({ what }) => what === 'free',
  words: (step, units) => {
    const bytes = step.places.reduce((sum, p) => sum + p.length, 0);
    const size = step.what === 'free' ? 'every cluster that no file has' : formatSize(bytes, units);
    return { title: titleOf(step), detail: `${size}, ${wipeWords(step)}` };
  },
  reason: ({ what }) =>
    what === 'free'
      ? 'What was deleted can be read until it is written over. The files are proven afterwards.'
      : 'What was there can be read until it is written over.',
  claims: ({ what, places, number }, owners) => {
    if (what === 'free') {
      owners.at(places[0]!, number);
      return owners;
    }
    // Nobody's bytes may lie where it writes.
    places.reduce((all, place) => all.with(place, 'new'), owners);
    return owners;
  },
  touches: ({ places }) => places,
  hazards: (step) => [
    `${titleOf(step)}: what is written over can’t be brought back on the disk that this goes to. An image that was opened is never written, and still holds it.`,
  ],
};
