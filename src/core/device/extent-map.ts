/**
 * A map from ranges to where their bytes come from: sorted, never overlapping, neighbours joined where they continue
 * each other. Kept in blocks of bounded length, so that a change costs the same on a fragmented disk as on a tidy one.
 */
import { firstAfter } from '@/core/bytes';

/** A half-open byte range [start, end) and its origin; `at` is the position in the origin that `start` stands for. */
export interface Extent {
  readonly start: number;
  readonly end: number;
  readonly origin: number;
  readonly at: number;
}

/** A change to the map; `origin` undefined takes the range out. */
export interface ExtentEdit {
  readonly start: number;
  readonly end: number;
  readonly origin: number | undefined;
  readonly at: number;
}

const BLOCK_LIMIT = 256;

/** The origin of bytes that are stored; their `at` is always their own offset. */
export const STORED = -1;
/** The origin of bytes that read as zeros; their `at` is always their own offset. */
export const ZEROS = -2;

export class ExtentMap {
  #blocks: Extent[][] = [];

  /** Applies an edit: the range has this origin from now on, or none. */
  apply(edit: ExtentEdit): void {
    if (edit.start >= edit.end) return;
    const first = this.#blockOf(edit.start);
    let last = first;
    while (last < this.#blocks.length && this.#blocks[last]![0]!.start <= edit.end) last += 1;
    // What touches no block goes into one beside it: blocks of their own would make many of one extent each.
    if (last - first <= 1 && this.#blocks.length > 0)
      return this.#applyInside(Math.min(first, this.#blocks.length - 1), edit);
    let fresh: Extent[] = [];
    for (let b = first; b < last; b++) for (const extent of this.#blocks[b]!) pushOutside(fresh, extent, edit);
    if (edit.origin !== undefined) fresh = insertJoined(fresh, edit as Extent);
    this.#blocks.splice(first, last - first, ...inBlocks(fresh));
  }

  /** Applies an edit to the one block that it touches or stands beside, as most do, and there only the extents that it touches. */
  #applyInside(index: number, edit: ExtentEdit): void {
    const block = this.#blocks[index]!;
    const from = firstAfter(block, edit.start - 1);
    let to = from;
    let fresh: Extent[] = [];
    for (; to < block.length && block[to]!.start <= edit.end; to++) pushOutside(fresh, block[to]!, edit);
    if (edit.origin !== undefined) fresh = insertJoined(fresh, edit as Extent);
    block.splice(from, to - from, ...fresh);
    if (block.length === 0 || block.length > BLOCK_LIMIT) this.#blocks.splice(index, 1, ...inBlocks(block));
  }

  /** The extents that overlap [start, end), clipped to it, in order. */
  *within(start: number, end: number): Generator<Extent> {
    for (let b = this.#blockOf(start); b < this.#blocks.length; b++) {
      const block = this.#blocks[b]!;
      for (let i = firstAfter(block, start); i < block.length; i++) {
        const extent = block[i]!;
        if (extent.start >= end) return;
        yield clip(extent, start, end);
      }
    }
  }

  /** Every extent in order. */
  *all(): Generator<Extent> {
    for (const block of this.#blocks) yield* block;
  }

  clear(): void {
    this.#blocks = [];
  }

  /** The first block that can hold an extent ending at or after `offset`. */
  #blockOf(offset: number): number {
    let low = 0;
    let high = this.#blocks.length;
    while (low < high) {
      const mid = (low + high) >>> 1;
      if (this.#blocks[mid]!.at(-1)!.end < offset) low = mid + 1;
      else high = mid;
    }
    return low;
  }
}

function clip(extent: Extent, start: number, end: number): Extent {
  if (extent.start >= start && extent.end <= end) return extent;
  const from = Math.max(extent.start, start);
  return { start: from, end: Math.min(extent.end, end), origin: extent.origin, at: extent.at + (from - extent.start) };
}

function pushOutside(into: Extent[], extent: Extent, edit: ExtentEdit): void {
  if (extent.end <= edit.start || extent.start >= edit.end) {
    into.push(extent);
    return;
  }
  if (extent.start < edit.start) into.push(clip(extent, extent.start, edit.start));
  if (extent.end > edit.end) into.push(clip(extent, edit.end, extent.end));
}

function continues(a: Extent, b: Extent): boolean {
  return a.end === b.start && a.origin === b.origin && a.at + (a.end - a.start) === b.at;
}

function insertJoined(extents: Extent[], added: Extent): Extent[] {
  const index = extents.findIndex((e) => e.start >= added.end);
  const at = index < 0 ? extents.length : index;
  const before = extents[at - 1];
  const after = extents[at];
  let joined: Extent = { start: added.start, end: added.end, origin: added.origin, at: added.at };
  let from = at;
  let count = 0;
  if (before && continues(before, joined)) {
    joined = { ...before, end: joined.end };
    from -= 1;
    count += 1;
  }
  if (after && continues(joined, after)) {
    joined = { ...joined, end: after.end };
    count += 1;
  }
  extents.splice(from, count, joined);
  return extents;
}

function inBlocks(extents: Extent[]): Extent[][] {
  if (extents.length === 0) return [];
  if (extents.length <= BLOCK_LIMIT) return [extents];
  const blocks: Extent[][] = [];
  const size = BLOCK_LIMIT / 2;
  for (let i = 0; i < extents.length; i += size) blocks.push(extents.slice(i, i + size));
  return blocks;
}
