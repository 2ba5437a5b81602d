/** A cluster bitmap: one bit a cluster, least significant first. */
import type { Run } from '../free-space';

export function isSet(bitmap: Uint8Array, bit: number): boolean {
  return (bitmap[bit >> 3]! & (1 << (bit & 7))) !== 0;
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
  if (on) bitmap[bit >> 3]! |= 1 << (bit & 7);
  else bitmap[bit >> 3]! &= ~(1 << (bit & 7));
}

/** The bits in [from, to) that are `on`, as runs. Whole bytes of the other kind are stepped over at once. */
export function runsOf(bitmap: Uint8Array, from: number, to: number, on: boolean): Run[] {
  const runs: { start: number; length: number }[] = [];
  const [skip, take] = on ? [0x00, 0xff] : [0xff, 0x00];
  for (let bit = from; bit < to;) {
    const byte = bitmap[bit >> 3]!;
    const whole = (bit & 7) === 0 && bit + 8 <= to;
    const step = whole && (byte === skip || byte === take) ? 8 : 1;
    if (step === 8 ? byte === take : isSet(bitmap, bit) === on) {
      const last = runs.at(-1);
      if (last && last.start + last.length === bit) last.length += step;
      else runs.push({ start: bit, length: step });
    }
    bit += step;
  }
  return runs;
}

const ONES = /* @__PURE__ */ Uint8Array.from({ length: 256 }, (_, n) => n.toString(2).replaceAll('0', '').length);

/** How many bits in [0, to) are set. */
export function countSet(bitmap: Uint8Array, to: number): number {
  let count = 0;
  const whole = to >> 3;
  for (let i = 0; i < whole; i++) count += ONES[bitmap[i]!]!;
  for (let bit = whole * 8; bit < to; bit++) if (isSet(bitmap, bit)) count += 1;
  return count;
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
