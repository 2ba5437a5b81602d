/**
 * The order of moves: from where volumes are to where they shall be, so that each goes only where nothing is. A volume
 * may overlap its own old place, since it is carried piece by piece in the right direction; where volumes stand in each
 * other's way in a ring, the cheapest is set aside in unallocated space first.
 */
import { ceilTo, floorTo } from '@/core/size';

/** A volume that stays as long as it is. Offsets and lengths are bytes; `carries` is what moving it once costs. */
export interface Piece {
  readonly number: number;
  readonly start: number;
  readonly length: number;
  readonly target: number;
  readonly carries: number;
  /** It is where it shall be, and may all the same be set aside for a time. */
  readonly yields?: boolean;
}

/** One move. */
export interface Move {
  readonly number: number;
  readonly from: number;
  readonly to: number;
  readonly length: number;
}

/** Where volumes may be set aside: [first, last), starts at multiples of `alignment`. */
export interface MoveRoom {
  readonly first: number;
  readonly last: number;
  readonly alignment: number;
  /** Stretches that are not on this disk, in numbers behind `last`; taken only where the disk itself does not do. */
  readonly elsewhere?: readonly { readonly first: number; readonly last: number }[];
}

/** The moves in order, or which volumes stand in each other's way. */
export type MoveOrder =
  | { readonly ok: true; readonly moves: readonly Move[] }
  | { readonly ok: false; readonly stuck: readonly number[]; readonly needed: number };

/**
 * States looked at before the search for the cheapest gives up; each is a full set of places. Enough for all there are of
 * five volumes, and fewer for many volumes, whose states are larger and take longer.
 */
const statesFor = (pieces: number): number => Math.max(30, Math.min(3000, Math.floor(110_000 / pieces ** 2)));
/** Volumes with which setting aside by turns is begun, the shortest first. */
const MOST_FIRST = 8;

/** Finds an order. The same input gives the same order. `needed` is the unallocated stretch that would do. */
export function orderMoves(pieces: readonly Piece[], room: MoveRoom): MoveOrder {
  const state = beginning(pieces);
  const direct = settleDirect(pieces, state);
  if (isDone(pieces, direct.places)) return { ok: true, moves: direct.moves };
  const { elsewhere = [], ...here } = room;
  const away = elsewhere.length > 0 ? room : undefined;
  const moves =
    search(pieces, here, direct, true) ??
    search(pieces, here, state, false) ??
    byTurns(pieces, direct, [here], room.alignment)?.moves ??
    (away && search(pieces, away, direct, true)) ??
    byTurns(pieces, direct, elsewhere, room.alignment)?.moves;
  if (moves) return { ok: true, moves };
  const stuck = pieces.filter((p, i) => direct.places[i] !== p.target);
  return { ok: false, stuck: stuck.map((p) => p.number), needed: neededRoom(pieces, direct, room) };
}

/** Like `orderMoves`, but sets aside by turns only: in no time, and not wherever there is an order. */
export function orderByTurns(
  pieces: readonly Piece[],
  { first, last, alignment }: MoveRoom,
): readonly Move[] | undefined {
  const direct = settleDirect(pieces, beginning(pieces));
  if (isDone(pieces, direct.places)) return direct.moves;
  return byTurns(pieces, direct, [{ first, last }], alignment)?.moves;
}

/** A stretch that would do: as much of one without end as setting aside by turns takes. */
function neededRoom(pieces: readonly Piece[], direct: State, { last, elsewhere = [], alignment }: MoveRoom): number {
  const first = ceilTo(Math.max(last, ...elsewhere.map((e) => e.last)), alignment);
  const found = byTurns(pieces, direct, [{ first, last: Infinity }], alignment)!;
  return Math.max(...found.moves.map((m) => m.to + m.length)) - first;
}

/**
 * Sets one aside that is stuck, the shortest first, and makes every direct move there is then, until all are where they
 * shall be. Begun with each of several, it takes what reaches least far. Not the cheapest way, but it always ends, and with
 * room for all of them it always leads there.
 */
function byTurns(
  pieces: readonly Piece[],
  direct: State,
  stretches: readonly { readonly first: number; readonly last: number }[],
  alignment: number,
): State | undefined {
  const shortest = [...pieces.keys()]
    .filter((i) => direct.places[i] !== pieces[i]!.target)
    .sort((a, b) => pieces[a]!.length - pieces[b]!.length || a - b);
  const far = ({ moves }: State): number => Math.max(...moves.map((m) => m.to + m.length));
  let best: State | undefined;
  for (const begun of shortest.slice(0, MOST_FIRST)) {
    let state = direct;
    for (const i of [begun, ...shortest.filter((n) => n !== begun)]) {
      if (isDone(pieces, state.places)) break;
      if (state.places[i] === pieces[i]!.target) continue;
      const to = firstFit(pieces, state, i, stretches, alignment);
      if (to !== undefined) state = settleDirect(pieces, moved(pieces, state, i, to));
    }
    if (isDone(pieces, state.places) && (!best || far(state) < far(best))) best = state;
  }
  return best;
}

function firstFit(
  pieces: readonly Piece[],
  { places }: State,
  own: number,
  stretches: readonly { readonly first: number; readonly last: number }[],
  alignment: number,
): number | undefined {
  const { length } = pieces[own]!;
  const taken = places.map((start, i) => ({ start, end: start + pieces[i]!.length })).sort((a, b) => a.start - b.start);
  for (const { first, last } of stretches) {
    let at = ceilTo(first, alignment);
    for (const { start, end } of taken) if (start < at + length && end > at) at = ceilTo(end, alignment);
    if (at + length <= last) return at;
  }
  return undefined;
}

interface State {
  /** Where each piece is, in the order of the pieces. */
  readonly places: readonly number[];
  readonly moves: readonly Move[];
  /** What setting aside has cost. */
  readonly cost: number;
}

const beginning = (pieces: readonly Piece[]): State => ({ places: pieces.map((p) => p.start), moves: [], cost: 0 });
const isDone = (pieces: readonly Piece[], places: readonly number[]): boolean =>
  pieces.every((p, i) => places[i] === p.target);

function isFree(pieces: readonly Piece[], places: readonly number[], own: number, start: number): boolean {
  const end = start + pieces[own]!.length;
  return places.every((at, i) => i === own || at >= end || start >= at + pieces[i]!.length);
}

function moved(pieces: readonly Piece[], state: State, index: number, to: number): State {
  const { number, length } = pieces[index]!;
  const places = [...state.places];
  places[index] = to;
  return { ...state, places, moves: [...state.moves, { number, from: state.places[index]!, to, length }] };
}

/** Every move that can be made straight to where it shall end, until none is left. */
function settleDirect(pieces: readonly Piece[], from: State): State {
  const places = [...from.places];
  const moves = [...from.moves];
  const order = pieces.map((piece, i) => [i, piece] as const);
  for (let again = true; again;) {
    again = false;
    // From one side and then from the other, so that a row of neighbours is through in two rounds either way.
    for (const [i, piece] of [...order, ...order.toReversed()]) {
      if (places[i] === piece.target || !isFree(pieces, places, i, piece.target)) continue;
      moves.push({ number: piece.number, from: places[i]!, to: piece.target, length: piece.length });
      places[i] = piece.target;
      again = true;
    }
  }
  return { ...from, places, moves };
}

/** Cheapest first over what may be set aside. `greedy` takes every direct move at once, which nearly always does. */
function search(pieces: readonly Piece[], room: MoveRoom, from: State, greedy: boolean): readonly Move[] | undefined {
  const seen = new Set<string>();
  const open: State[] = [from];
  const most = statesFor(pieces.length);
  for (let looked = 0; open.length > 0 && looked < most; looked++) {
    const state = takeCheapest(open);
    if (isDone(pieces, state.places)) return state.moves;
    const key = state.places.join();
    if (seen.has(key)) continue;
    seen.add(key);
    for (const next of nextStates(pieces, room, state)) open.push(greedy ? settleDirect(pieces, next) : next);
  }
  return undefined;
}

function takeCheapest(open: State[]): State {
  let best = 0;
  for (let i = 1; i < open.length; i++) {
    const [a, b] = [open[i]!, open[best]!];
    if (a.cost < b.cost || (a.cost === b.cost && a.moves.length < b.moves.length)) best = i;
  }
  return open.splice(best, 1)[0]!;
}

function* nextStates(pieces: readonly Piece[], room: MoveRoom, state: State): Generator<State> {
  for (const [i, piece] of pieces.entries()) {
    if (piece.start === piece.target && !piece.yields) continue;
    if (state.places[i] !== piece.target && isFree(pieces, state.places, i, piece.target))
      yield moved(pieces, state, i, piece.target);
    for (const to of asides(pieces, room, state, i)) {
      if (to === state.places[i] || to === piece.target) continue;
      yield { ...moved(pieces, state, i, to), cost: state.cost + piece.carries };
    }
  }
}

/** Both ends of every stretch that is free but for the piece itself, where it fits. */
function asides(pieces: readonly Piece[], room: MoveRoom, { places }: State, own: number): number[] {
  const { length } = pieces[own]!;
  const taken = places
    .map((start, i) => ({ start, end: start + pieces[i]!.length, own: i === own }))
    .filter((t) => !t.own)
    .sort((a, b) => a.start - b.start);
  // What is elsewhere comes back; it gains nothing by being carried on there.
  const away = places[own]! >= room.last;
  return [room, ...(away ? [] : (room.elsewhere ?? []))].flatMap(({ first, last }) => {
    const out: number[] = [];
    let at = first;
    for (const next of [...taken, { start: last, end: last }]) {
      const low = ceilTo(at, room.alignment);
      const high = floorTo(Math.min(next.start, last) - length, room.alignment);
      if (low <= high) out.push(low, ...(high > low ? [high] : []));
      at = Math.max(at, next.end);
    }
    return out;
  });
}
