/**
 * Carrying a volume to another place, piece by piece.
 *
 * What is to be carried is listed in the journal first, since the volume can't be asked once pieces of it have gone.
 * A piece is as long as the way or shorter, so it lands on bytes that were free or whose own copy is durable: after each
 * piece the disk is flushed and the journal told, and only then is the next one begun. A cut repeats at most one piece,
 * whose source is still whole.
 */
import { copyAcross, type BlockDevice } from '@/core/device';
import { CoreError } from '@/core/errors';
import { firstAfter, type ByteRange } from '@/core/fs';
import { windowsOf, type MoveStep } from '@/core/plan';
import type { JournalStore } from './journal';

const RANGES_IN_PART = 5000;
const READ_CHUNK = 4 * 1024 * 1024;

/** What a move works with. */
export interface MovePorts {
  readonly disk: BlockDevice;
  readonly journal: JournalStore;
  readonly signal?: AbortSignal;
  /** Told of all bytes carried so far. */
  readonly carried: (bytes: number) => void;
}

/** Whether a volume comes to stand partly where it stood. */
export function overlapsItself({ at, to }: MoveStep): boolean {
  return Math.abs(to - at.start) < at.length;
}

/**
 * Reads what is to be carried once over, before a move that writes over its own source: a sector that can't be read
 * must show while the volume is still whole where it is.
 * @throws CoreError `device.read-failed`, `run.stopped`
 */
export async function assertReadable(
  { disk, signal }: Pick<MovePorts, 'disk' | 'signal'>,
  index: number,
  step: MoveStep,
  ranges: readonly ByteRange[],
): Promise<void> {
  const buffer = new Uint8Array(READ_CHUNK);
  for (const { start, end } of ranges) {
    for (let at = start; at < end; at += READ_CHUNK) {
      if (signal?.aborted) throw new CoreError('run.stopped', { step: index });
      const length = Math.min(READ_CHUNK, end - at);
      // What the device knows without reading can't fail to be read.
      if (disk.sources(step.at.start + at, length)) continue;
      await disk.read(step.at.start + at, buffer.subarray(0, length));
    }
  }
}

/** Puts the list of what is to be carried into the journal, for good. Ranges count from the volume's start. */
export async function listCarried(journal: JournalStore, step: number, ranges: readonly ByteRange[]): Promise<void> {
  for (let part = 0; part === 0 || part * RANGES_IN_PART < ranges.length; part++) {
    const some = ranges.slice(part * RANGES_IN_PART, (part + 1) * RANGES_IN_PART);
    await journal.append({ kind: 'carry', step, part, ranges: some.map((r) => [r.start, r.end]) });
  }
  await journal.append({ kind: 'carried', step, pieces: 0 });
  await journal.flush();
}

/** The list as it was put there. */
export async function readCarried(journal: JournalStore, step: number): Promise<ByteRange[]> {
  let ranges: ByteRange[] = [];
  for await (const { record } of journal.entries()) {
    if (record.kind !== 'carry' || record.step !== step) continue;
    if (record.part === 0) ranges = [];
    for (const [start, end] of record.ranges) ranges.push({ start, end });
  }
  return ranges;
}

/** Carries all pieces from number `from` on. @throws CoreError `run.stopped`, and what the disk or journal throws */
export async function carryPieces(
  ports: MovePorts,
  index: number,
  { at, to }: MoveStep,
  ranges: readonly ByteRange[],
  from: number,
): Promise<void> {
  const { disk } = ports;
  const windows = windowsOf(at.start, to, at.length);
  await inPieces(ports, index, windows, ranges, from, disk, ({ start, end }) =>
    disk.copy(at.start + start, to + start, end - start),
  );
}

/** A place on a device where a volume of some length begins. */
export interface CarryEnd {
  readonly device: BlockDevice;
  readonly start: number;
}

/** Carries all pieces from number `from` on from one disk to another. @throws what {@link carryPieces} throws */
export async function carryAcross(
  ports: MovePorts,
  index: number,
  [source, target]: readonly [CarryEnd, CarryEnd],
  length: number,
  ranges: readonly ByteRange[],
  from: number,
): Promise<void> {
  // Nothing of the target is live, so that any length of a piece is safe; as if it were moved by its own length.
  const windows = windowsOf(length, 0, length);
  await inPieces(ports, index, windows, ranges, from, target.device, ({ start, end }) =>
    copyAcross(source.device, source.start + start, target.device, target.start + start, end - start),
  );
}

async function inPieces(
  { journal, signal, carried }: MovePorts,
  index: number,
  windows: Iterable<ByteRange>,
  ranges: readonly ByteRange[],
  from: number,
  target: BlockDevice,
  copy: (part: ByteRange) => Promise<void>,
): Promise<void> {
  let piece = 0;
  let bytes = 0;
  for (const window of windows) {
    const parts = within(ranges, window);
    const done = piece < from;
    if (!done && parts.length > 0) {
      if (signal?.aborted) throw new CoreError('run.stopped', { step: index });
      for (const part of parts) await copy(part);
      await target.flush();
      await journal.append({ kind: 'carried', step: index, pieces: piece + 1 });
      await journal.flush();
    }
    for (const { start, end } of parts) bytes += end - start;
    if (parts.length > 0) carried(bytes);
    piece += 1;
  }
}

/** The parts of sorted ranges that lie in a window. */
function within(ranges: readonly ByteRange[], { start, end }: ByteRange): ByteRange[] {
  const out: ByteRange[] = [];
  for (let i = firstAfter(ranges, start); i < ranges.length && ranges[i]!.start < end; i++)
    out.push({ start: Math.max(start, ranges[i]!.start), end: Math.min(end, ranges[i]!.end) });
  return out;
}
