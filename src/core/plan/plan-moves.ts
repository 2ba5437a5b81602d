/** The moves of a plan: kept volumes, as short as they get, from where they are to where they shall be. */
import { CoreError, hasErrors } from '@/core/errors';
import { bytesBeyond, totalOf } from '@/core/fs';
import type { Survey, SurveyedVolume } from '@/core/inspect';
import { ALIGNMENT, firstUsable, lastUsable, nameOf, settle, type LaidVolume, type Layout } from '@/core/layout';
import { formatSize } from '@/core/size';
import { HERE, type Place } from '@/core/place';
import type { DiskTable } from '@/core/table';
import { windowOf } from './move-window';
import { orderMoves, type Move, type MoveRoom, type Piece } from './order-moves';
import type { Scratch } from './scratch';
import { refused } from './refused';
import { orderSqueezed, type Squeezed, type Yielding } from './squeeze';
import type { CarryStep, EmptyStep, StepCost } from './steps';
import type { Kept } from './subjects';
import { tableFor } from './table-entries';

/** What moves are planned from. */
export interface MoveContext {
  readonly survey: Survey;
  readonly now: Layout;
  readonly planned: Layout;
  readonly kept: readonly Kept[];
  /** Volumes that go, but stay where they are until they, or files of them, have been copied. */
  readonly standing: readonly SurveyedVolume[];
  readonly scratch: readonly Scratch[];
  /** Numbers of volumes that something is copied from, or put on, so that they keep the length they have. */
  readonly needed: ReadonlySet<number>;
  readonly cost: (reads: number, writes: number, seeks: number, carries: number) => StepCost;
}

const SECTOR_WRITE = 4096;
/** Places on other disks are numbers from here on, a stretch at each multiple; no disk is as large. */
const AWAY = 2 ** 50;
/** What carrying a volume costs that is not to be moved. */
const NEVER = 2 ** 52;
/** The longest stretches are enough, and with no more of them every place is a safe integer. */
const MOST_STRETCHES = 7;

/** The moves, and what they take for granted. */
export interface PlannedMoves {
  readonly steps: readonly (CarryStep | EmptyStep)[];
  /** How long each kept volume is from before the first move to after the last, by its number. */
  readonly lengths: ReadonlyMap<number, number>;
  /** Set where no order was found without making room first: the unallocated room that would do instead. */
  readonly forWantOf?: number;
}

/**
 * The moves in order. Volumes that get smaller are taken to be so before the first of them, but for those of which a
 * move says that they shrink on the way.
 * @throws CoreError `plan.stuck` when volumes stand in each other's way and there is nowhere to set one aside
 */
export function planMoves(context: MoveContext): PlannedMoves {
  const kept = context.kept.filter((k) => !k.planned.format);
  if (kept.every((k) => k.planned.start === k.before.start))
    return { steps: [], lengths: new Map(kept.map((k) => [k.now.number, lengthMeanwhile(k)])) };
  return new MovePlanner(context, kept).moves();
}

/** Shrunk before the moves and grown after them, a volume is as short as it gets while they go on. */
const lengthMeanwhile = ({ before, planned }: Kept): number => Math.min(before.length, planned.length);

class MovePlanner {
  readonly #pieces: readonly Piece[];
  readonly #yielding: readonly Yielding[];
  readonly #scratch: readonly Scratch[];

  constructor(
    private readonly context: MoveContext,
    private readonly kept: readonly Kept[],
  ) {
    const standing = context.standing.map(({ number, start, length }): Piece => {
      return { number, start, length, target: start, carries: NEVER };
    });
    const moving = kept.map((k): Piece => {
      const length = lengthMeanwhile(k);
      const { number, start } = k.now;
      return { number, start, length, target: k.planned.start, carries: carriedOf(k) };
    });
    this.#pieces = [...moving, ...standing];
    this.#yielding = kept.flatMap((k) => yieldingOf(k, context.needed));
    this.#scratch = context.scratch
      // What is written in sectors of this disk must be whole sectors there.
      .filter((s) => s.sectorSize <= context.survey.sectorSize)
      .sort((a, b) => b.length - a.length)
      .slice(0, MOST_STRETCHES);
  }

  moves(): PlannedMoves {
    const { now, planned } = this.context;
    const room: MoveRoom = {
      first: Math.max(firstUsable(now), firstUsable(planned)),
      last: Math.min(lastUsable(now), lastUsable(planned)),
      alignment: ALIGNMENT,
    };
    const elsewhere = this.#scratch.map(({ start, length }, i) => {
      const first = AWAY * (i + 1) + start;
      return { first, last: first + length };
    });
    const order = orderMoves(this.#pieces, { ...room, elsewhere });
    if (order.ok) return this.#planned({ moves: order.moves, lengths: new Map() });
    const found = this.#lastWay(room, elsewhere);
    if (!found) throw this.#stuck(order.stuck, order.needed);
    return { ...this.#planned(found), forWantOf: order.needed };
  }

  #planned({ moves, lengths: shorter }: Squeezed): PlannedMoves {
    const lengths = new Map(this.#pieces.map((p) => [p.number, shorter.get(p.number) ?? p.length]));
    return { steps: this.#steps(moves, lengths), lengths };
  }

  /**
   * What is left where nothing can be set aside: volumes made smaller for a time; volumes set aside that are where they
   * shall be; and both, here and elsewhere.
   */
  #lastWay(room: MoveRoom, elsewhere: NonNullable<MoveRoom['elsewhere']>): Squeezed | undefined {
    const yielding = this.#yielding;
    const resting = new Set(this.kept.filter((k) => mayBeSetAside(k)).map((k) => k.now.number));
    const loose = this.#pieces.map((p) => (resting.has(p.number) ? { ...p, yields: true } : p));
    const moved = (within: MoveRoom): Squeezed | undefined => {
      const order = orderMoves(loose, within);
      return order.ok ? { moves: order.moves, lengths: new Map() } : undefined;
    };
    const away = { ...room, elsewhere };
    return (
      orderSqueezed(this.#pieces, room, yielding) ??
      moved(room) ??
      orderSqueezed(loose, room, yielding) ??
      (elsewhere.length > 0
        ? (orderSqueezed(this.#pieces, away, yielding) ?? moved(away) ?? orderSqueezed(loose, away, yielding))
        : undefined)
    );
  }

  #steps(moves: readonly Move[], lengths: ReadonlyMap<number, number>): (CarryStep | EmptyStep)[] {
    const stranger = moves.find((m) => !this.kept.some((k) => k.now.number === m.number));
    if (stranger) throw refused('place.stranger', { number: stranger.number });
    const onTheWay = this.#shrinkingOnTheWay(moves, lengths);
    const places = new Map(
      this.#pieces.map(({ number, start }) => {
        const length = onTheWay.has(number) ? this.#keptOf(number).before.length : lengths.get(number)!;
        return [number, { start, length }];
      }),
    );
    const last = new Map(moves.map((move) => [move.number, move]));
    return moves.flatMap((move) => {
      if (move.to >= AWAY) places.delete(move.number);
      else places.set(move.number, { start: move.to, length: move.length });
      // The table is written with all else once the last of them is in its place.
      const table = move === moves.at(-1) ? undefined : this.#tableAt(places);
      const shrinks = move.to < AWAY && onTheWay.delete(move.number);
      const length = shrinks ? this.#keptOf(move.number).before.length : move.length;
      const step = this.#step(move, length, last.get(move.number) !== move, table);
      return move.from >= AWAY ? [step, this.#emptied(step)] : [step];
    });
  }

  #keptOf(number: number): Kept {
    return this.kept.find((k) => k.now.number === number)!;
  }

  /**
   * Volumes that are made smaller while they are carried, so that nothing is carried twice: their new place is clear of
   * their old one as long as it was, and nobody needs what they give up before they have gone.
   */
  #shrinkingOnTheWay(moves: readonly Move[], lengths: ReadonlyMap<number, number>): Set<number> {
    const out = new Set<number>();
    for (const { now, before } of this.kept) {
      const length = lengths.get(now.number)!;
      const first = moves.findIndex((m) => m.number === now.number);
      const move = moves[first];
      if (!move || length >= before.length || move.to >= AWAY) continue;
      const end = now.start + before.length;
      const clear = (from: number, to: number): boolean =>
        moves.slice(0, first).every((m) => m.to >= to || from >= m.to + m.length);
      const apart = move.to >= end || now.start >= move.to + move.length;
      if (apart && clear(now.start + length, end)) out.add(now.number);
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

  /** @param length how long the volume is before, where it is made smaller on the way */
  #step(
    { number, from, to, length: after }: Move,
    length: number,
    aside: boolean,
    table: DiskTable | undefined,
  ): CarryStep {
    const k = this.#keptOf(number);
    const carries = carriedOf(k);
    const [fromPlace, toPlace] = [this.#place(from, length), this.#place(to, after)];
    const across = fromPlace.disk !== toPlace.disk;
    const windows = across ? 0 : Math.ceil(after / windowOf(from, to));
    // A move over its own old place is read once over before.
    const reads = !across && Math.abs(to - from) < after ? 2 * carries : carries;
    const seeks = 4 + 2 * Math.min(windows, carries / SECTOR_WRITE);
    return {
      kind: 'carry',
      name: nameOf(k.planned),
      number,
      from: fromPlace,
      to: toPlace,
      ...(across ? { other: this.#scratchAt(Math.max(from, to)).name } : {}),
      whole: !k.now.info,
      aside: aside || to >= AWAY,
      ...(table ? { table } : {}),
      cost: this.context.cost(reads, carries + SECTOR_WRITE, seeks, carries),
    };
  }

  #emptied({ name, from: place, other }: CarryStep): EmptyStep {
    return { kind: 'empty', name, place, other: other!, cost: this.context.cost(0, SECTOR_WRITE, 2, 0) };
  }

  #scratchAt(place: number): Scratch {
    return this.#scratch[Math.floor(place / AWAY) - 1]!;
  }

  #place(at: number, length: number): Place {
    if (at < AWAY) return { disk: HERE, start: at, length };
    return { disk: this.#scratchAt(at).disk, start: at % AWAY, length };
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

/** A volume that may be made smaller for a time: it can be both ways, is sound, and nobody guards it or needs its length. */
function yieldingOf({ planned, now, mending }: Kept, needed: ReadonlySet<number>): Yielding[] {
  const { abilities, limits, allocation, findings, number } = now;
  if (!limits || !abilities.shrink || !abilities.grow) return [];
  if (planned.guarded || mending || needed.has(number) || hasErrors(findings)) return [];
  return [{ number, shortest: limits.floor.bytes, cost: (length) => bytesBeyond(allocation, length) }];
}

/** A volume that is where it shall be, and may be elsewhere for a time. */
const mayBeSetAside = ({ planned, now, mending }: Kept): boolean =>
  planned.start === now.start && !planned.guarded && !mending && !hasErrors(now.findings);

/** What moving a volume carries: what is in use of it, wherever in it that lies. */
function carriedOf({ now, planned }: Kept): number {
  return now.info ? totalOf(now.allocation) : Math.min(now.length, planned.length);
}

const sameLaid = (a: LaidVolume, b: LaidVolume): boolean =>
  a.start === b.start && a.length === b.length && a.logical === b.logical;
