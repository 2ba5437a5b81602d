/** Sizes as they are typed for the parts of a split, shared out over what there is. */
import { floorTo, MIB, readSize } from '@/core/size';

/** What parts are shared out of. Bytes. */
export interface ShareContext {
  readonly whole: number;
  /** What the volume that is split has now, and the least it can have. */
  readonly current: number;
  readonly floor: number;
}

const REST = 'rest';

/**
 * Bytes of each part, in whole MiB. Several rests share what the others leave; the last part takes what rounding leaves.
 * @throws CoreError `size.*` for a size that can't be read, or for rests of which nothing is left
 */
export function shareOut(texts: readonly string[], { whole, current, floor }: ShareContext): number[] {
  const given = texts.map((text) =>
    text.trim().toLowerCase() === REST ? undefined : readSize(text, { whole, rest: 0, current, floor }).bytes,
  );
  const rests = given.filter((bytes) => bytes === undefined).length;
  const left = whole - given.reduce<number>((sum, bytes) => sum + (bytes ?? 0), 0);
  // Asked of the grammar, so that the refusal is worded as every other one.
  const rest = rests > 0 ? readSize(`${Math.floor(left / rests)} B`, { whole }).bytes : 0;
  const sizes: number[] = [];
  let at = 0;
  for (const [i, bytes] of given.entries()) {
    const wanted = bytes ?? rest;
    const room = whole - at;
    // What rounding leaves at the end is too little for anything else.
    const tail = i === texts.length - 1 && room >= wanted && room - wanted < texts.length * MIB;
    sizes.push(tail ? room : floorTo(wanted, MIB));
    at += sizes[i]!;
  }
  return sizes;
}
