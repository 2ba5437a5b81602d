/** A cluster bitmap: one bit a cluster, least significant first. */
import type { Run } from '../free-space';

export function isSet(bitmap: Uint8Array, bit: number): boolean {
  return (bitmap[bit >>> 3]! & (1 << (bit & 7))) !== 0;
}

export function setBits(bitmap: Uint8Array, from: number, to: number, on: boolean): void {
  const firstByte = Math.ceil(from / 8);
  const lastByte = Math.floor(to / 8);
  if (firstByte < lastByte) bitmap.fill(on ? 0xff : 0, firstByte, lastByte);
  const inner = firstByte < lastByte;
  for (let bit = from; bit < (inner ? firstByte * 8 : to); bit++) setBit(bitmap, bit, on);
  for (let bit = inner ? lastByte * 8 : to; bit < to; bit++) setBit(bitmap, bit, on);
}

function setBit(bitmap: Uint8Array, bit: number, on: boolean): void {
  if (on) bitmap[bit >>> 3]! |= 1 << (bit & 7);
  else bitmap[bit >>> 3]! &= ~(1 << (bit & 7));
}

/** The bits in [from, to) that are `on`, as runs. Whole bytes of one kind are gone over in a tight loop. */
export function runsOf(bitmap: Uint8Array, from: number, to: number, on: boolean): Run[] {
  const runs: Run[] = [];
  for (let bit = nextBit(bitmap, from, to, on); bit < to;) {
    const end = nextBit(bitmap, bit, to, !on);
    runs.push({ start: bit, length: end - bit });
    bit = nextBit(bitmap, end, to, on);
  }
  return runs;
}

/** The first bit at or after `from` that is `on`, or `to`. */
export function nextBit(bitmap: Uint8Array, from: number, to: number, on: boolean): number {
  const skip = on ? 0x00 : 0xff;
  let bit = from;
  while (bit < to) {
    if ((bit & 7) === 0) {
      let byte = bit >>> 3;
      const lastByte = to >>> 3;
      while (byte < lastByte && bitmap[byte] === skip) byte += 1;
      bit = Math.max(bit, byte * 8);
      if (bit >= to) return to;
    }
    if (isSet(bitmap, bit) === on) return bit;
    bit += 1;
  }
  return to;
}

/** Bits set in a 32-bit word. */
function onesIn(word: number): number {
  let w = word - ((word >>> 1) & 0x55555555);
  w = (w & 0x33333333) + ((w >>> 2) & 0x33333333);
  return (((w + (w >>> 4)) & 0x0f0f0f0f) * 0x01010101) >>> 24;
}

/** The whole words of a bitmap, as a view; a volume's own bitmap is made as long as words need. */
function wordsOf(bitmap: Uint8Array): Uint32Array {
  const aligned = bitmap.byteOffset % 4 === 0 ? bitmap : bitmap.slice();
  return new Uint32Array(aligned.buffer, aligned.byteOffset, aligned.length >>> 2);
}

/** How many bits in [from, to) are set. */
export function countIn(bitmap: Uint8Array, from: number, to: number): number {
  let count = 0;
  let bit = from;
  for (; bit < to && (bit & 31) !== 0; bit++) if (isSet(bitmap, bit)) count += 1;
  if (to - bit >= 64) {
    const words = wordsOf(bitmap);
    const last = Math.min(words.length, to >>> 5);
    for (let w = bit >>> 5; w < last; w++) if (words[w] !== 0) count += onesIn(words[w]!);
    bit = Math.max(bit, last * 32);
  }
  for (; bit < to; bit++) if (isSet(bitmap, bit)) count += 1;
  return count;
}

/** The runs of bits in [0, to) that are set in `a` and not in `b`, which is as long. */
export function onlyIn(a: Uint8Array, b: Uint8Array, to: number): Run[] {
  const [x, y] = [wordsOf(a), wordsOf(b)];
  const runs: { start: number; length: number }[] = [];
  const add = (bit: number): void => {
    const last = runs.at(-1);
    if (last && last.start + last.length === bit) last.length += 1;
    else runs.push({ start: bit, length: 1 });
  };
  for (let w = 0; w < x.length && w * 32 < to; w++) {
    if ((x[w]! & ~y[w]!) === 0) continue;
    for (let bit = w * 32; bit < Math.min(to, w * 32 + 32); bit++) if (isSet(a, bit) && !isSet(b, bit)) add(bit);
  }
  for (let bit = x.length * 32; bit < to; bit++) if (isSet(a, bit) && !isSet(b, bit)) add(bit);
  return runs;
}

/** How many bits in [0, to) are set. */
export function countSet(bitmap: Uint8Array, to: number): number {
  return countIn(bitmap, 0, to);
}

/** Bytes of the bitmap of a volume: whole words of 64 bits. */
export function bitmapBytes(clusterCount: number): number {
  return Math.ceil(clusterCount / 64) * 8;
}

/** The bitmap of another count of clusters: new bits clear, the bits that pad the last word set. */
export function resizedBitmap(bitmap: Uint8Array, oldCount: number, newCount: number): Uint8Array {
  const out = new Uint8Array(bitmapBytes(newCount));
  out.set(bitmap.subarray(0, Math.min(out.length, bitmap.length)));
  if (newCount > oldCount) setBits(out, oldCount, Math.min(newCount, out.length * 8), false);
  setBits(out, newCount, out.length * 8, true);
  return out;
}
