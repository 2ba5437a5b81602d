/** The moves of a plan: kept volumes, as short as they get, from where they are to where they shall be. */
import { CoreError } from '@/core/errors';
import { totalOf } from '@/core/fs';
import type { Survey, SurveyedVolume } from '@/core/inspect';
import { ALIGNMENT, firstUsable, lastUsable, nameOf, settle, type LaidVolume, type Layout } from '@/core/layout';
import { formatSize } from '@/core/size';
import type { DiskTable } from '@/core/table';
import { windowOf } from './move-window';
import { orderMoves, type Move, type Piece } from './order-moves';
import type { Elsewhere, FetchStep, MoveStep, ParkStep, Scratch, StepCost } from './steps';
import { tableFor } from './table-entries';

/** A kept volume with how it is now. */
export interface Kept {
  readonly planned: LaidVolume;
  readonly now: SurveyedVolume;
  readonly before: LaidVolume;
}

/** What moves are planned from. */
export interface MoveContext {
  readonly survey: Survey;
  readonly now: Layout;
  readonly planned: Layout;
  readonly kept: readonly Kept[];
  readonly scratch: readonly Scratch[];
  readonly cost: (reads: number, writes: number, seeks: number, carries: number) => StepCost;
}

type Carry = MoveStep | ParkStep | FetchStep;

const SECTOR_WRITE = 4096;
/** Places on other disks are numbers from here on, a stretch at each multiple; no disk is as large. */
const AWAY = 2 ** 50;
/** The longest stretches are enough, and with no more of them every place is a safe integer. */
const MOST_STRETCHES = 7;

/**
 * The moves in order. Volumes that get smaller are taken to be so before the first of them, but for those of which a
 * move says that they shrink on the way.
 * @throws CoreError `plan.stuck` when volumes stand in each other's way and there is nowhere to set one aside
 */
export function planMoves(context: MoveContext): Carry[] {
  const kept = context.kept.filter((k) => !k.planned.format);
  if (kept.every((k) => k.planned.start === k.before.start)) return [];
  return new MovePlanner(context, kept).steps();
}

class MovePlanner {
  readonly #pieces: readonly Piece[];
  readonly #scratch: readonly Scratch[];

  constructor(
    private readonly context: MoveContext,
    private readonly kept: readonly Kept[],
  ) {
    this.#pieces = kept.map((k): Piece => {
      const length = Math.min(k.before.length, k.planned.length);
      const { number, start } = k.now;
      return { number, start, length, target: k.planned.start, carries: carriedOf(k) };
    });
    this.#scratch = context.scratch
      // What is written in sectors of this disk must be whole sectors there.
      .filter((s) => s.sectorSize <= context.survey.sectorSize)
      .sort((a, b) => b.length - a.length)
      .slice(0, MOST_STRETCHES);
  }

  steps(): Carry[] {
    const { now, planned } = this.context;
    const order = orderMoves(this.#pieces, {
      first: Math.max(firstUsable(now), firstUsable(planned)),
      last: Math.min(lastUsable(now), lastUsable(planned)),
      alignment: ALIGNMENT,
      elsewhere: this.#scratch.map(({ start, length }, i) => {
        const first = AWAY * (i + 1) + start;
        return { first, last: first + length };
      }),
    });
    if (!order.ok) throw this.#stuck(order.stuck, order.needed);
    const onTheWay = this.#shrinkingOnTheWay(order.moves);
    const places = new Map(
      this.#pieces.map(({ number, start, length }) => {
        return [number, { start, length: onTheWay.has(number) ? this.#keptOf(number).before.length : length }];
      }),
    );
    const last = new Map(order.moves.map((move) => [move.number, move]));
    return order.moves.map((move) => {
      if (move.to >= AWAY) places.delete(move.number);
      else places.set(move.number, { start: move.to, length: move.length });
      // The table is written with all else once the last of them is in its place.
      const table = move === order.moves.at(-1) ? undefined : this.#tableAt(places);
      const step = this.#step(move, last.get(move.number) !== move, table);
      if (step.kind !== 'move' || !onTheWay.delete(move.number)) return step;
      const at = { start: move.from, length: this.#keptOf(move.number).before.length };
      return { ...step, at, shrinkTo: move.length };
    });
  }

  #keptOf(number: number): Kept {
    return this.kept.find((k) => k.now.number === number)!;
  }

  /**
   * Volumes that are made smaller while they are carried, so that nothing is carried twice: their new place is clear of
   * their old one as long as it was, and nobody needs what they give up before they have gone.
   */
  #shrinkingOnTheWay(moves: readonly Move[]): Set<number> {
    const out = new Set<number>();
    for (const { now, planned, before } of this.kept) {
      const first = moves.findIndex((m) => m.number === now.number);
      const move = moves[first];
      if (!move || planned.length >= before.length || move.to >= AWAY) continue;
      const end = now.start + before.length;
      const clear = (from: number, to: number): boolean =>
        moves.slice(0, first).every((m) => m.to >= to || from >= m.to + m.length);
      const apart = move.to >= end || now.start >= move.to + move.length;
      if (apart && clear(now.start + planned.length, end)) out.add(now.number);
    }
    return out;
  }

  #stuck(numbers: readonly number[], needed: number): CoreError {
    const names = numbers.map((n) => nameOf(this.#keptOf(n).planned)).join(' and ');
    const room = formatSize(needed);
    return new CoreError('plan.stuck', {
      reason: `The plan can’t be carried out: ${names} stand in each other’s way, and nothing can be set aside: ${room} unallocated in one piece would do, here or on another disk.`,
      needed,
    });
  }

  #step({ number, from, to, length }: Move, aside: boolean, table: DiskTable | undefined): Carry {
    const k = this.#keptOf(number);
    const carries = carriedOf(k);
    const common = { name: nameOf(k.planned), number, whole: !k.now.info, ...(table ? { table } : {}) };
    const across = (windows: number, reads = carries): StepCost => {
      const seeks = 4 + 2 * Math.min(windows, carries / SECTOR_WRITE);
      return this.context.cost(reads, carries + SECTOR_WRITE, seeks, carries);
    };
    if (to >= AWAY)
      return { ...common, kind: 'park', at: { start: from, length }, on: this.#elsewhere(to), cost: across(0) };
    if (from >= AWAY)
      return { ...common, kind: 'fetch', from: this.#elsewhere(from), at: { start: to, length }, cost: across(0) };
    const windows = Math.ceil(length / windowOf(from, to));
    // A move over its own old place is read once over before.
    const reads = Math.abs(to - from) < length ? 2 * carries : carries;
    return { ...common, kind: 'move', at: { start: from, length }, to, aside, cost: across(windows, reads) };
  }

  #elsewhere(place: number): Elsewhere {
    const index = Math.floor(place / AWAY);
    const { disk, name } = this.#scratch[index - 1]!;
    return { disk, name, start: place - index * AWAY };
  }

  /** The table while volumes are on their way, or undefined where none can say it: it is then written at the end. */
  #tableAt(places: ReadonlyMap<number, { start: number; length: number }>): DiskTable | undefined {
    const { now, survey } = this.context;
    const volumes = now.volumes
      .flatMap((v): LaidVolume[] => {
        const at = v.origin.kind === 'kept' ? places.get(v.origin.number) : undefined;
        return at ? [{ ...v, ...at }] : [];
      })
      .sort((a, b) => a.start - b.start);
    const layout = { ...now, volumes };
    // A GUID table can say any order of volumes; a chain of logical ones can't.
    if (now.table === 'gpt') return tableFor(survey, layout);
    const settled = settle(layout, new Map());
    const same = settled.ok && settled.layout.volumes.every((v, i) => sameLaid(v, volumes[i]!));
    return same ? tableFor(survey, layout) : undefined;
  }
}

/** What moving a volume carries: what is in use of it, wherever in it that lies. */
function carriedOf({ now, planned }: Kept): number {
  return now.info ? totalOf(now.allocation) : Math.min(now.length, planned.length);
}

const sameLaid = (a: LaidVolume, b: LaidVolume): boolean =>
  a.start === b.start && a.length === b.length && a.logical === b.logical;
