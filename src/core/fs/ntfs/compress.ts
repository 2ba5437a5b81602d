/**
 * Content as compressed units, the inverse of `decompress.ts`: the same content gives the same bytes.
 *
 * Linux-NTFS “NTFS Documentation”, chapter “Compression”.
 */
import { CHUNK, LENGTH_BITS } from './decompress';

const LEAST_MATCH = 3;
const HASH_BITS = 12;
/** How many earlier places with the same three bytes are looked at. */
const MOST_TRIED = 8;
/** Lengths and distances are up to that of a chunk. */
const LENGTH_SHIFT = 13;
const LENGTH_MASK = (1 << LENGTH_SHIFT) - 1;
const RAW_CHUNK = 0x3000 | (CHUNK - 1);
const COMPRESSED = 0xb000;

/** Compresses one unit at a time; its tables serve any number of them. */
export class UnitCompressor {
  /** By hash, the last place in the chunk that had it; by place, the one before with the same. Places count from 1. */
  readonly #last = new Uint16Array(1 << HASH_BITS);
  readonly #before = new Uint16Array(CHUNK + 1);

  /**
   * @param unit whole chunks
   * @returns a view of `into` that `decompressUnit` makes the unit of, or undefined when it would take more than `most` bytes
   */
  compress(unit: Uint8Array, into: Uint8Array, most: number): Uint8Array | undefined {
    let at = 0;
    for (let from = 0; from < unit.length; from += CHUNK) {
      const chunk = unit.subarray(from, from + CHUNK);
      const end = this.#chunk(chunk, into, at + 2, Math.min(at + 2 + CHUNK - 1, most));
      if (end !== undefined) {
        const header = COMPRESSED | (end - at - 3);
        into[at] = header & 0xff;
        into[at + 1] = header >> 8;
        at = end;
        continue;
      }
      if (at + 2 + CHUNK > most) return undefined;
      into[at] = RAW_CHUNK & 0xff;
      into[at + 1] = RAW_CHUNK >> 8;
      into.set(chunk, at + 2);
      at += 2 + CHUNK;
    }
    return into.subarray(0, at);
  }

  /** @returns where what was written ends, or undefined when that is not before `limit` */
  #chunk(chunk: Uint8Array, into: Uint8Array, start: number, limit: number): number | undefined {
    this.#last.fill(0);
    let to = start;
    for (let at = 0; at < chunk.length;) {
      // A group: a byte of flags, and eight literals or references at most.
      if (to + 17 > limit) return undefined;
      const flagsAt = to++;
      let flags = 0;
      for (let bit = 0; bit < 8 && at < chunk.length; bit++) {
        const lengthBits = LENGTH_BITS[at]!;
        const match = this.#match(chunk, at, (1 << lengthBits) - 1 + LEAST_MATCH);
        const length = match & LENGTH_MASK;
        if (length < LEAST_MATCH) {
          into[to++] = chunk[at]!;
          this.#note(chunk, at++);
          continue;
        }
        flags |= 1 << bit;
        const token = (((match >> LENGTH_SHIFT) - 1) << lengthBits) | (length - LEAST_MATCH);
        into[to++] = token & 0xff;
        into[to++] = token >> 8;
        for (const end = at + length; at < end; at++) this.#note(chunk, at);
      }
      into[flagsAt] = flags;
    }
    return to;
  }

  /** The longest earlier stretch that what is at a place begins like: its distance above its length, as one number. */
  #match(chunk: Uint8Array, at: number, most: number): number {
    if (at + LEAST_MATCH > chunk.length) return 0;
    const limit = Math.min(most, chunk.length - at);
    let [best, distance] = [0, 0];
    let place = this.#last[hashAt(chunk, at)]!;
    for (let tried = 0; place > 0 && tried < MOST_TRIED; tried++, place = this.#before[place]!) {
      const from = place - 1;
      // One that is no longer can't differ only behind.
      if (chunk[from + best] !== chunk[at + best]) continue;
      let length = 0;
      while (length < limit && chunk[from + length] === chunk[at + length]) length += 1;
      if (length <= best) continue;
      best = length;
      distance = at - from;
      if (length === limit) break;
    }
    return (distance << LENGTH_SHIFT) | best;
  }

  #note(chunk: Uint8Array, at: number): void {
    if (at + LEAST_MATCH > chunk.length) return;
    const hash = hashAt(chunk, at);
    this.#before[at + 1] = this.#last[hash]!;
    this.#last[hash] = at + 1;
  }
}

function hashAt(bytes: Uint8Array, at: number): number {
  const three = bytes[at]! | (bytes[at + 1]! << 8) | (bytes[at + 2]! << 16);
  return Math.imul(three, 0x9e3779b1) >>> (32 - HASH_BITS);
}
