/**
 * What of a file with holes is stored: the units that any of its content touches, and that content in order.
 *
 * Linux-NTFS “NTFS Documentation”, chapter “Attribute Header”: an attribute that is sparse says a compression unit like one
 * that is compressed, and the clusters it really has. Readers may take a unit that is stored in part for a compressed one,
 * so that holes are whole units.
 */
import type { ContentRun } from '../port';

/** log2 of the clusters of a unit, and those. */
export const HOLE_UNIT = 4;
export const HOLE_CLUSTERS = 2 ** HOLE_UNIT;
/** Content in hand beyond this goes on its way before more is asked for. */
const MOST_HELD = 4 * 1024 * 1024;

/** Whole units of a file, from its start, with what stands in them up to the file's end. Bytes. */
interface SparseStretch {
  readonly start: number;
  readonly end: number;
  readonly runs: readonly ContentRun[];
  readonly length: number;
}

const lengthOf = (run: ContentRun): number => (run.kind === 'bytes' ? run.bytes.length : run.length);

/** A stretch while its content comes in. */
class OpenStretch {
  readonly runs: ContentRun[] = [];
  end: number;
  /** Bytes of it that are in hand. */
  held = 0;

  constructor(
    readonly start: number,
    private readonly unit: number,
    /** Up to where it has content. */
    public filled = start,
  ) {
    this.end = start;
  }

  put(from: number, run: ContentRun): void {
    this.zerosTo(from);
    this.runs.push(run);
    this.filled = from + lengthOf(run);
    this.end = Math.ceil(this.filled / this.unit) * this.unit;
    if (run.kind === 'bytes') this.held += run.bytes.length;
  }

  zerosTo(to: number): void {
    if (to > this.filled) this.runs.push({ kind: 'zeros', length: to - this.filled });
    this.filled = Math.max(this.filled, to);
  }

  /** @param size the bytes of the file */
  closed(size: number): SparseStretch {
    this.zerosTo(Math.min(this.end, size));
    const { start, end, runs, filled } = this;
    return { start, end, runs, length: filled - start };
  }
}

/** Goes through runs of content that come to `size` bytes; zeros become holes where they fill units. */
export async function* sparseStretches(
  content: AsyncIterable<ContentRun>,
  size: number,
  clusterSize: number,
): AsyncGenerator<SparseStretch> {
  const unit = HOLE_CLUSTERS * clusterSize;
  let open: OpenStretch | undefined;
  let at = 0;
  for await (const run of content) {
    for (const piece of run.kind === 'bytes' ? cutAt(run.bytes, at, unit) : [run]) {
      const from = at;
      at += lengthOf(piece);
      if (piece.kind === 'zeros' || from === at) continue;
      const start = Math.floor(from / unit) * unit;
      if (open && (start > open.end || (open.held >= MOST_HELD && start === open.end))) {
        yield open.closed(size);
        open = undefined;
      }
      open ??= new OpenStretch(start, unit);
      open.put(from, piece);
    }
  }
  if (open) yield open.closed(size);
}

/** Bytes that stand at a place of a file, cut where units begin. */
function* cutAt(bytes: Uint8Array, at: number, unit: number): Generator<ContentRun> {
  for (let done = 0; done < bytes.length;) {
    const length = Math.min(bytes.length - done, unit - ((at + done) % unit));
    yield { kind: 'bytes', bytes: bytes.subarray(done, done + length) };
    done += length;
  }
}
