/** Reading and writing a stretch of a stream that may cross from one of its runs to the next. */
import type { BlockDevice } from '@/core/device';
import type { Transaction } from '../port';
import type { DataRun } from './runlist';

/** The parts of [offset, offset + length) of a stream as they lie on the volume. Holes are left out. */
export function* partsOf(
  runs: readonly DataRun[],
  clusterSize: number,
  offset: number,
  length: number,
): Generator<{ at: number; from: number; length: number }> {
  let start = 0;
  const end = offset + length;
  for (const run of runs) {
    const stop = start + run.length * clusterSize;
    const from = Math.max(start, offset);
    const to = Math.min(stop, end);
    if (from < to && run.lcn >= 0)
      yield { at: run.lcn * clusterSize + from - start, from: from - offset, length: to - from };
    if (stop >= end) return;
    start = stop;
  }
}

/** A fresh buffer with a stretch of a stream; what is in no run is zeros. */
export async function readAcross(
  device: BlockDevice,
  runs: readonly DataRun[],
  clusterSize: number,
  offset: number,
  length: number,
): Promise<Uint8Array> {
  const out = new Uint8Array(length);
  await readAcrossInto(device, runs, clusterSize, offset, out);
  return out;
}

/** The same into a buffer that may hold anything. */
export async function readAcrossInto(
  device: BlockDevice,
  runs: readonly DataRun[],
  clusterSize: number,
  offset: number,
  into: Uint8Array,
): Promise<void> {
  let at = 0;
  for (const part of partsOf(runs, clusterSize, offset, into.length)) {
    into.fill(0, at, part.from);
    await device.read(part.at, into.subarray(part.from, part.from + part.length));
    at = part.from + part.length;
  }
  into.fill(0, at);
}

/** Gathers the write of a stretch of a stream. @throws RangeError when it is not all in runs */
export async function writeAcross(
  tx: Transaction,
  runs: readonly DataRun[],
  clusterSize: number,
  offset: number,
  bytes: Uint8Array,
): Promise<void> {
  let written = 0;
  for (const part of partsOf(runs, clusterSize, offset, bytes.length)) {
    await tx.write(part.at, bytes.subarray(part.from, part.from + part.length));
    written += part.length;
  }
  if (written !== bytes.length)
    throw new RangeError(`bytes [${offset}, ${offset + bytes.length}) are outside the stream`);
}
