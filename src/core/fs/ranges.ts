/** Sorted, joined lists of half-open byte ranges. */
import { firstAfter } from '@/core/bytes';
import type { ByteRange } from './port';

/** The ranges sorted by start with touching and overlapping ones joined. */
export function joinRanges(ranges: readonly ByteRange[]): ByteRange[] {
  const sorted = [...ranges].filter((r) => r.end > r.start).sort((a, b) => a.start - b.start);
  const out: { start: number; end: number }[] = [];
  for (const range of sorted) {
    const last = out.at(-1);
    if (last && range.start <= last.end) last.end = Math.max(last.end, range.end);
    else out.push({ start: range.start, end: range.end });
  }
  return out;
}

/** How many bytes the ranges cover; they must not overlap. */
export function totalOf(ranges: readonly ByteRange[]): number {
  return ranges.reduce((sum, r) => sum + (r.end - r.start), 0);
}

/** Whether [start, end) touches any of the sorted ranges. */
export function overlapsAny(ranges: readonly ByteRange[], start: number, end: number): boolean {
  const range = ranges[firstAfter(ranges, start)];
  return range !== undefined && range.start < end;
}

/** How many bytes of the sorted ranges lie at or after `offset`. */
export function bytesBeyond(ranges: readonly ByteRange[], offset: number): number {
  let sum = 0;
  for (let i = firstAfter(ranges, offset); i < ranges.length; i++) {
    sum += ranges[i]!.end - Math.max(offset, ranges[i]!.start);
  }
  return sum;
}
