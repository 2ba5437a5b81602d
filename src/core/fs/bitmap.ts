/** A cluster bitmap: one bit a cluster, least significant first. */
import type { Run } from './free-space';

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

/** Shorter stretches than this are not worth a view of words. */
const MANY_BITS = 1024;

/** The first bit at or after `from` that is `on`, or `to`. */
export function nextBit(bitmap: Uint8Array, from: number, to: number, on: boolean): number {
  const skip = on ? 0x00 : 0xff;
  let bit = from;
  while (bit < to) {
    if ((bit & 7) === 0) {
      let byte = bit >>> 3;
      const lastByte = to >>> 3;
      const near = Math.min(lastByte, byte + MANY_BITS / 8);
      while (byte < near && bitmap[byte] === skip) byte += 1;
      if (byte === near && byte < lastByte) byte = skipWords(bitmap, byte, lastByte, on);
      while (byte < lastByte && bitmap[byte] === skip) byte += 1;
      bit = Math.max(bit, byte * 8);
      if (bit >= to) return to;
    }
    if (isSet(bitmap, bit) === on) return bit;
    bit += 1;
  }
  return to;
}

/** The byte where the words that are all alike end, from `byte` on. */
function skipWords(bitmap: Uint8Array, byte: number, lastByte: number, on: boolean): number {
  if (bitmap.byteOffset % 4 !== 0) return byte;
  const words = wordsOf(bitmap);
  const skip = on ? 0 : -1;
  const last = lastByte >>> 2;
  const first = (byte + 3) >>> 2;
  for (let i = byte; i < first * 4; i++) if (bitmap[i] !== (skip & 0xff)) return i;
  return skipEqual(words, first, last, skip) * 4;
}

/** The first word in [from, to) that is not `value`, which is 0 or -1, or `to`. Eight at a time: most are alike. */
function skipEqual(words: Int32Array, from: number, to: number, value: 0 | -1): number {
  let w = from;
  if (words[w] !== value) return w;
  const most = to - 8;
  if (value === 0)
    while (
      w <= most &&
      (words[w]! |
        words[w + 1]! |
        words[w + 2]! |
        words[w + 3]! |
        words[w + 4]! |
        words[w + 5]! |
        words[w + 6]! |
        words[w + 7]!) ===
        0
    )
      w += 8;
  while (w < to && words[w] === value) w += 1;
  return w;
}

/** Bits set in a 32-bit word. */
function onesIn(word: number): number {
  let w = word - ((word >>> 1) & 0x55555555);
  w = (w & 0x33333333) + ((w >>> 2) & 0x33333333);
  return (((w + (w >>> 4)) & 0x0f0f0f0f) * 0x01010101) >>> 24;
}

/** The whole words of a bitmap, as a view. Signed, since only those stay machine integers. */
function wordsOf(bitmap: Uint8Array): Int32Array {
  const aligned = bitmap.byteOffset % 4 === 0 ? bitmap : bitmap.slice();
  return new Int32Array(aligned.buffer, aligned.byteOffset, aligned.length >>> 2);
}

/** How many bits in [from, to) are set. */
export function countIn(bitmap: Uint8Array, from: number, to: number): number {
  let count = 0;
  let bit = from;
  for (; bit < to && (bit & 31) !== 0; bit++) if (isSet(bitmap, bit)) count += 1;
  if (to - bit >= 64) {
    const words = wordsOf(bitmap);
    const last = Math.min(words.length, to >>> 5);
    for (let w = bit >>> 5; w < last; w++) {
      w = skipEqual(words, w, last, 0);
      if (w < last) count += onesIn(words[w]!);
    }
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
  const end = Math.min(x.length, Math.ceil(to / 32));
  for (let w = skipCovered(x, y, 0, end); w < end; w = skipCovered(x, y, w + 1, end))
    for (let bit = w * 32; bit < Math.min(to, w * 32 + 32); bit++) if (isSet(a, bit) && !isSet(b, bit)) add(bit);
  for (let bit = x.length * 32; bit < to; bit++) if (isSet(a, bit) && !isSet(b, bit)) add(bit);
  return runs;
}

/** The first word in [from, to) with a bit of `x` that `y` does not have, or `to`. */
function skipCovered(x: Int32Array, y: Int32Array, from: number, to: number): number {
  let w = from;
  const most = to - 4;
  while (
    w <= most &&
    ((x[w]! & ~y[w]!) | (x[w + 1]! & ~y[w + 1]!) | (x[w + 2]! & ~y[w + 2]!) | (x[w + 3]! & ~y[w + 3]!)) === 0
  )
    w += 4;
  while (w < to && (x[w]! & ~y[w]!) === 0) w += 1;
  return w;
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
