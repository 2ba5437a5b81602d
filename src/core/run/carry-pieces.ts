/**
 * Carrying a volume to another place, piece by piece.
 *
 * What is to be carried is listed in the journal first, since the volume can't be asked once pieces of it have gone.
 * A piece is as long as the way or shorter, so it lands on bytes that were free or whose own copy is durable: after each
 * piece the disk is flushed and the journal told, and only then is the next one begun. Where pieces are references, as
 * many as span the way share a barrier. A cut repeats at most what came after the last one, whose source is still whole.
 */
import type { BlockDevice } from '@/core/device';
import { CoreError } from '@/core/errors';
import { firstAfter } from '@/core/bytes';
import type { ByteRange } from '@/core/fs';
import type { JournalStore } from './journal';
import { readJournal } from './journal-state';

const RANGES_IN_PART = 5000;
const READ_CHUNK = 4 * 1024 * 1024;

/** What carrying works with. */
export interface CarryPorts {
  readonly journal: JournalStore;
  readonly signal?: AbortSignal;
  /** Told of all bytes carried so far. */
  readonly carried: (bytes: number) => void;
}

/** What was listed and done of a step. */
export interface Carried {
  /** From the volume's start. */
  readonly ranges: readonly ByteRange[];
  /** Seals by the number of their piece, from 0. */
  readonly seals: ReadonlyMap<number, string>;
}

/**
 * Reads what is to be carried once over, before a volume is written over its own old place: a sector that can't be read
 * must show while the volume is still whole where it is.
 * @throws CoreError `device.read-failed`, `run.stopped`
 */
export async function assertReadable(
  disk: BlockDevice,
  signal: AbortSignal | undefined,
  index: number,
  volumeStart: number,
  ranges: readonly ByteRange[],
): Promise<void> {
  for (const { start, end } of ranges) {
    for (let at = start; at < end; at += READ_CHUNK) {
      if (signal?.aborted) throw new CoreError('run.stopped', { step: index });
      await disk.verify(volumeStart + at, Math.min(READ_CHUNK, end - at));
    }
  }
}

/** Puts the list of what is to be carried into the journal, for good. Ranges count from the volume's start. */
export async function listCarried(journal: JournalStore, step: number, ranges: readonly ByteRange[]): Promise<void> {
  for (let part = 0; part === 0 || part * RANGES_IN_PART < ranges.length; part++) {
    const some = ranges.slice(part * RANGES_IN_PART, (part + 1) * RANGES_IN_PART);
    await journal.append({ kind: 'carry', step, part, ranges: some.map((r): [number, number] => [r.start, r.end]) });
  }
  await journal.append({ kind: 'carried', step, pieces: 0 });
  await journal.flush();
}

/** What the journal says of a step that carries. */
export async function readCarried(journal: JournalStore, step: number): Promise<Carried> {
  let ranges: ByteRange[] = [];
  const seals = new Map<number, string>();
  for await (const { record } of readJournal(journal)) {
    if (record.kind === 'carried' && record.step === step && record.seal !== undefined)
      seals.set(record.pieces - 1, record.seal);
    if (record.kind !== 'carry' || record.step !== step) continue;
    if (record.part === 0) ranges = [];
    for (const [start, end] of record.ranges) ranges.push({ start, end });
  }
  return { ranges, seals };
}

/** So much is carried byte by byte before it is made durable: a cut repeats no more. */
const MOST_AT_RISK = 128 * 1024 * 1024;

/** Pieces that become durable together. */
export interface Together {
  /** How many at most. Further than the way that they go they must not reach: the first would be written over. */
  readonly pieces: number;
  readonly flush: () => Promise<void>;
}

/** A piece that is where it shall be. */
interface CarriedPiece {
  /** Bytes of it that are no references. */
  readonly copied: number;
  readonly seal?: string;
}

/** Carries the parts of a piece. What becomes of it is durable later. */
export type CarryPiece = (parts: readonly ByteRange[], piece: number) => Promise<CarriedPiece>;

/**
 * Carries all pieces from number `from` on.
 * @param windows the pieces in order, from the volume's start
 * @throws CoreError `run.stopped`, and what the disk or journal throws
 */
export async function inPieces(
  { journal, signal, carried }: CarryPorts,
  index: number,
  windows: Iterable<ByteRange>,
  ranges: readonly ByteRange[],
  from: number,
  act: CarryPiece,
  together: Together,
): Promise<void> {
  let [piece, bytes, copied] = [0, 0, 0];
  let waiting: { readonly pieces: number; readonly seal?: string }[] = [];
  const settle = async (): Promise<void> => {
    if (waiting.length === 0) return;
    await together.flush();
    const told = waiting.filter((one, i) => one.seal !== undefined || i === waiting.length - 1);
    for (const one of told) await journal.append({ kind: 'carried', step: index, ...one });
    await journal.flush();
    [waiting, copied] = [[], 0];
  };
  for (const window of windows) {
    const parts = within(ranges, window);
    const acts = piece >= from && parts.length > 0;
    if (signal?.aborted && acts) {
      await settle();
      throw new CoreError('run.stopped', { step: index });
    }
    const done = acts ? await act(parts, piece) : undefined;
    piece += 1;
    if (done) {
      waiting.push({ pieces: piece, ...(done.seal === undefined ? {} : { seal: done.seal }) });
      copied += done.copied;
    }
    if (waiting.length > 0 && (piece - waiting[0]!.pieces + 1 >= together.pieces || copied >= MOST_AT_RISK))
      await settle();
    for (const { start, end } of parts) bytes += end - start;
    if (parts.length > 0) carried(bytes);
  }
  await settle();
}

/** The parts of sorted ranges that lie in a window. */
function within(ranges: readonly ByteRange[], { start, end }: ByteRange): ByteRange[] {
  const out: ByteRange[] = [];
  for (let i = firstAfter(ranges, start); i < ranges.length && ranges[i]!.start < end; i++)
    out.push({ start: Math.max(start, ranges[i]!.start), end: Math.min(end, ranges[i]!.end) });
  return out;
}
