/**
 * Room on the disk itself where nothing is unallocated: volumes are made smaller for a time and grown again at the end.
 * With every volume as short as it gets all along, whatever order there is can be gone; from there, volumes that need not
 * give anything are left as they are, the dearest first, and the others give no more than is needed, as long as what is
 * carried in all does not become more by it.
 */
import { ceilTo } from '@/core/size';
import { orderByTurns, orderMoves, type Move, type MoveRoom, type Piece } from './order-moves';

/** A volume that can be made smaller for a time. */
export interface Yielding {
  readonly number: number;
  /** Bytes below which it does not go. */
  readonly shortest: number;
  /** Bytes that are carried to make it so long. */
  readonly cost: (length: number) => number;
}

/** The moves in order, and how long the volumes are meanwhile that are shorter than else. */
export interface Squeezed {
  readonly moves: readonly Move[];
  readonly lengths: ReadonlyMap<number, number>;
}

/** Volumes among which how little will do is looked for with every search there is; among more, with the quick one. */
const FEW = 6;

/** The order with the least given that is found, or none where there is none at all. The same input gives the same. */
export function orderSqueezed(
  pieces: readonly Piece[],
  room: MoveRoom,
  yielding: readonly Yielding[],
): Squeezed | undefined {
  const lengths = new Map<number, number>();
  const lengthOf = (number: number): number => pieces.find((p) => p.number === number)!.length;
  const able = yielding.filter((y) => shortestOf(y, room) < lengthOf(y.number));
  if (able.length === 0) return undefined;
  for (const y of able) lengths.set(y.number, shortestOf(y, room));
  const orderAt = (orderOf: typeof searched): readonly Move[] | undefined =>
    orderOf(
      pieces.map((p) => ({ ...p, length: lengths.get(p.number) ?? p.length })),
      room,
    );
  let best = orderAt(searched);
  if (!best) return undefined;
  const priceOf = (moves: readonly Move[]): number =>
    moves.reduce((sum, m) => sum + pieces.find((p) => p.number === m.number)!.carries, 0);
  const saved = (number: number, from: number, to: number): number => {
    const { cost } = able.find((y) => y.number === number)!;
    return cost(from) - cost(to);
  };
  const tried = (number: number, length: number): boolean => {
    const shorter = lengths.get(number)!;
    lengths.set(number, length);
    const found = orderAt(pieces.length > FEW ? orderByTurns : searched);
    const taken = found !== undefined && priceOf(found) <= priceOf(best!) + saved(number, shorter, length);
    if (taken) best = found;
    else lengths.set(number, shorter);
    return taken;
  };
  const dearest = [...able].sort(
    (a, b) => b.cost(lengths.get(b.number)!) - a.cost(lengths.get(a.number)!) || a.number - b.number,
  );
  for (const { number } of dearest) if (tried(number, lengthOf(number))) lengths.delete(number);
  for (const { number } of dearest.filter((y) => lengths.has(y.number))) {
    let [low, high] = [lengths.get(number)! / room.alignment, Math.floor(lengthOf(number) / room.alignment)];
    while (high - low > 1) {
      const middle = Math.floor((low + high) / 2);
      if (tried(number, middle * room.alignment)) low = middle;
      else high = middle;
    }
  }
  return { moves: best, lengths };
}

const shortestOf = ({ shortest }: Yielding, { alignment }: MoveRoom): number => ceilTo(shortest, alignment);

/** The moves that every search together finds. */
function searched(pieces: readonly Piece[], room: MoveRoom): readonly Move[] | undefined {
  const order = orderMoves(pieces, room);
  return order.ok ? order.moves : undefined;
}
