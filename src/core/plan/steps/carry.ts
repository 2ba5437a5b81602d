/**
 * Carries a volume to another place: on the disk itself, or to another disk to be set aside there, or back from it. What it
 * holds is read from where it is, in pieces, and stays whole.
 */
import { isHere, type Place } from '@/core/place';
import { formatSize, type UnitSystem } from '@/core/size';
import { diskTableSchema, type DiskTable } from '@/core/table';
import * as z from 'zod';
import { baseShape, numberSchema, placeSchema, type StepBase, type StepKind, type StepWords } from './step-kind';

export interface CarryStep extends StepBase {
  readonly kind: 'carry';
  readonly number: number;
  readonly from: Place;
  /** Shorter than `from` where the volume is made smaller on the way. */
  readonly to: Place;
  /** What the other disk is called in sentences, where one of the two places is on one; of a copy, what it is a copy of. */
  readonly other?: string;
  /** Every byte is carried, since what is in use is not known; nothing in it is changed. */
  readonly whole: boolean;
  /** It only makes room and is carried on later. */
  readonly aside: boolean;
  /** A copy: what is carried stays where it is as well. */
  readonly keeps?: true;
  /** It was made by the same plan. */
  readonly made?: true;
  /** The table as it is once this volume is there, where it can be told before all are in place. */
  readonly table?: DiskTable;
}

/** Which way a volume goes. */
export type CarryWay = 'move' | 'away' | 'back' | 'copy';

export function wayOf({ from, to, keeps }: Pick<CarryStep, 'from' | 'to' | 'keeps'>): CarryWay {
  if (keeps) return 'copy';
  if (!isHere(to)) return 'away';
  return isHere(from) ? 'move' : 'back';
}

/** Whether a volume comes to stand partly where it stood. */
export function overlapsItself({ from, to }: Pick<CarryStep, 'from' | 'to'>): boolean {
  return from.disk === to.disk && to.start < from.start + from.length && from.start < to.start + to.length;
}

function moveWords({ name, from, to, aside, whole, cost }: CarryStep, units: UnitSystem): StepWords {
  const size = (bytes: number): string => formatSize(bytes, units);
  const way = to.start < from.start ? 'towards the start' : 'towards the end';
  const smaller = to.length < from.length ? `, made ${size(to.length)} long on the way` : '';
  return {
    title: aside
      ? `Set ${name} aside${smaller}`
      : `Move ${name} ${size(Math.abs(to.start - from.start))} ${way}${smaller}`,
    detail: whole
      ? `${size(cost.carries)} is carried, every byte: what is in use of it is not known`
      : `${size(cost.carries)} in use is carried, free space is not`,
  };
}

function copyWords({ name, other, from, to, whole, cost }: CarryStep, units: UnitSystem): StepWords {
  const size = (bytes: number): string => formatSize(bytes, units);
  const smaller = to.length < from.length ? `, made ${size(to.length)} long on the way` : '';
  return {
    title: `Copy ${other} to ${name}${smaller}`,
    detail: whole
      ? `${size(cost.carries)} is copied, every byte: what is in use of it is not certain`
      : `${size(cost.carries)} in use is copied, free space is not`,
  };
}

const REASONS: Readonly<Record<CarryWay, string>> = {
  move: 'Its new place is free by now. Each piece is safe before the place it came from is written over.',
  away: 'Volumes stand in each other’s way, and this disk has no room to set one aside.',
  copy: 'Its place is free by now. What is copied is only read, and was read once over as the measure for the proof.',
  back: 'Its new place is free by now. What was set aside is compared with what was put there before it is used.',
};

const FILLED_ELSEWHERE =
  'Its place is free by now. What it holds is compared here before the room that was lent is cleared.';

export const carry: StepKind<CarryStep> = {
  schema: z
    .strictObject({
      kind: z.literal('carry'),
      ...baseShape,
      number: numberSchema,
      from: placeSchema,
      to: placeSchema,
      other: z.string().max(200).optional(),
      whole: z.boolean(),
      aside: z.boolean(),
      keeps: z.literal(true).optional(),
      made: z.literal(true).optional(),
      table: diskTableSchema.optional(),
    })
    .refine(({ from, to }) => isHere(from) || isHere(to), 'one of the two places is on the disk itself')
    .refine(({ to, keeps }) => !keeps || isHere(to), 'a copy is made on the disk itself'),
  restarts: ({ keeps }) => !keeps,
  words: (step, units) => {
    const size = formatSize(step.cost.carries, units);
    switch (wayOf(step)) {
      case 'move':
        return moveWords(step, units);
      case 'away':
        return {
          title: `Set ${step.name} aside on ${step.other}`,
          detail: `${size} is carried to unallocated space there, and is nowhere else meanwhile`,
        };
      case 'copy':
        return copyWords(step, units);
      case 'back':
        return {
          title: `Bring ${step.name}${step.made ? '' : ' back'} from ${step.other}`,
          detail: `${size} is carried`,
        };
    }
  },
  reason: (step) => {
    const way = wayOf(step);
    if (way === 'move' && step.aside)
      return 'Volumes stand in each other’s way. This one makes room and is carried on later.';
    return way === 'back' && step.made ? FILLED_ELSEWHERE : REASONS[way];
  },
  claims: ({ number, from, to, keeps, made }, owners) => {
    const owner = owners.at(from, keeps || made ? undefined : number);
    return (keeps ? owners : owners.without(owner)).with(to, made ? owner.volume : number);
  },
  lent: ({ to, other }) => (isHere(to) ? [] : [{ ...to, name: other! }]),
  touches: ({ to }) => (isHere(to) ? [to] : []),
  table: ({ table }) => table,
  reads: ({ from, keeps }) => (keeps && !isHere(from) ? [from.disk] : []),
  hazards: (step) =>
    wayOf(step) === 'away'
      ? [
          `While ${step.name} is set aside on ${step.other}, it is whole only there: keep both disks at hand until the run is over. What was once in the unallocated space it takes there is overwritten.`,
        ]
      : [],
};
