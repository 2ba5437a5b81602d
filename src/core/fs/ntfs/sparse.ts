/**
 * What of a file with holes is stored: the units that any of its content touches, and that content in order.
 *
 * Linux-NTFS “NTFS Documentation”, chapter “Attribute Header”: an attribute that is sparse says a compression unit like one
 * that is compressed, and the clusters it really has. Readers may take a unit that is stored in part for a compressed one,
 * so that holes are whole units.
 */
import type { ByteRange, ContentRun } from '../port';

/** log2 of the clusters of a unit, and those. */
export const HOLE_UNIT = 4;
export const HOLE_CLUSTERS = 2 ** HOLE_UNIT;

interface SparseContent {
  /** Whole units from the file's start, sorted and joined. */
  readonly ranges: readonly ByteRange[];
  /** What stands in them one after the other, up to the end of the file. */
  readonly runs: readonly ContentRun[];
  readonly length: number;
}

const lengthOf = (run: ContentRun): number => (run.kind === 'bytes' ? run.bytes.length : run.length);

/** Goes through runs of content that come to `size` bytes; zeros become holes where they fill units. */
export async function sparseContent(
  content: AsyncIterable<ContentRun>,
  size: number,
  clusterSize: number,
): Promise<SparseContent> {
  const unit = HOLE_CLUSTERS * clusterSize;
  const ranges: { start: number; end: number }[] = [];
  const runs: ContentRun[] = [];
  let length = 0;
  const put = (run: ContentRun): void => {
    if (lengthOf(run) === 0) return;
    runs.push(run);
    length += lengthOf(run);
  };
  const zeros = (from: number, to: number): void =>
    put({ kind: 'zeros', length: Math.max(0, Math.min(to, size) - from) });
  let at = 0;
  // Up to where the last range was filled.
  let filled = 0;
  for await (const run of content) {
    const [from, to] = [at, at + lengthOf(run)];
    at = to;
    if (run.kind === 'zeros' || from === to) continue;
    const start = Math.floor(from / unit) * unit;
    const end = Math.ceil(to / unit) * unit;
    const last = ranges.at(-1);
    if (last && start <= last.end) {
      zeros(filled, from);
      last.end = Math.max(last.end, end);
    } else {
      if (last) zeros(filled, last.end);
      ranges.push({ start, end });
      zeros(start, from);
    }
    put(run);
    filled = to;
  }
  const last = ranges.at(-1);
  if (last) zeros(filled, last.end);
  return { ranges, runs, length };
}
