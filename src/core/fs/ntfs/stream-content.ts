/** What a stream of an NTFS volume holds, in order: stored, sparse or compressed. */
import type { BlockDevice } from '@/core/device';
import type { ContentRun } from '../port';
import type { NtfsGeometry } from './boot-sector';
import { decompressUnit } from './decompress';
import type { NtfsStream } from './file';
import { damaged } from './damaged';
import { ATTRIBUTE_FLAG } from './record';

/** Reads the first `length` bytes of a stream into a buffer of that size. */
export async function readInto(
  device: BlockDevice,
  g: NtfsGeometry,
  stream: NtfsStream,
  into: Uint8Array,
  length = stream.size,
): Promise<void> {
  let at = 0;
  for await (const run of contentOf(device, g, stream)) {
    const part = Math.min(run.kind === 'bytes' ? run.bytes.length : run.length, length - at);
    if (run.kind === 'at') await device.read(run.offset, into.subarray(at, at + part));
    else if (run.kind === 'bytes') into.set(run.bytes.subarray(0, part), at);
    at += part;
    if (at === length) return;
  }
}

/** A stream's content: encrypted ones as stored, compressed ones decoded. @throws CoreError `fs.damaged` */
export async function* contentOf(device: BlockDevice, g: NtfsGeometry, stream: NtfsStream): AsyncGenerator<ContentRun> {
  if (stream.value) yield { kind: 'bytes', bytes: stream.value.subarray(0, stream.size) };
  else if (stream.compressionUnit > 0 && stream.flags & ATTRIBUTE_FLAG.compressed)
    yield* compressedContent(device, g, stream);
  else yield* plainContent(g, stream);
}

function* plainContent(g: NtfsGeometry, { runs, size, initialised }: NtfsStream): Generator<ContentRun> {
  let at = 0;
  for (const { lcn, length } of runs) {
    const end = Math.min(size, at + length * g.clusterSize);
    if (end <= at) return;
    // What lies behind the initialised size reads as zeros, whatever the clusters hold.
    const stored = lcn < 0 ? at : Math.max(at, Math.min(end, initialised));
    if (stored > at) yield { kind: 'at', offset: lcn * g.clusterSize, length: stored - at };
    if (end > stored) yield { kind: 'zeros', length: end - stored };
    at = end;
  }
  if (at < size) throw damaged(`a stream ends ${size - at} bytes before its size`);
}

async function* compressedContent(
  device: BlockDevice,
  g: NtfsGeometry,
  stream: NtfsStream,
): AsyncGenerator<ContentRun> {
  const unit = 2 ** stream.compressionUnit;
  let left = Math.min(stream.size, stream.initialised);
  for (const clusters of unitsOf(stream, unit)) {
    if (left <= 0) break;
    const length = Math.min(left, unit * g.clusterSize);
    const bytes = await readUnit(device, g, clusters, unit);
    if (!bytes) throw damaged('a compressed stream can’t be decoded');
    yield { kind: 'bytes', bytes: bytes.subarray(0, length) };
    left -= length;
  }
  const rest = stream.size - Math.min(stream.size, stream.initialised);
  if (left > 0) throw damaged(`a stream ends ${left} bytes before its size`);
  if (rest > 0) yield { kind: 'zeros', length: rest };
}

/** The stored clusters of each compression unit in order. */
function* unitsOf({ runs }: NtfsStream, unit: number): Generator<number[]> {
  let clusters: number[] = [];
  let filled = 0;
  for (const { lcn, length } of runs) {
    for (let i = 0; i < length;) {
      const take = Math.min(length - i, unit - filled);
      if (lcn >= 0) for (let c = 0; c < take; c++) clusters.push(lcn + i + c);
      filled += take;
      i += take;
      if (filled < unit) continue;
      yield clusters;
      [clusters, filled] = [[], 0];
    }
  }
  if (filled > 0) yield clusters;
}

async function readUnit(
  device: BlockDevice,
  g: NtfsGeometry,
  clusters: readonly number[],
  unit: number,
): Promise<Uint8Array | undefined> {
  if (clusters.length === 0) return new Uint8Array(unit * g.clusterSize);
  const stored = new Uint8Array(clusters.length * g.clusterSize);
  for (let i = 0; i < clusters.length; i++) {
    await device.read(clusters[i]! * g.clusterSize, stored.subarray(i * g.clusterSize, (i + 1) * g.clusterSize));
  }
  return clusters.length === unit ? stored : decompressUnit(stored, unit * g.clusterSize);
}
