/**
 * Seals of what a run has set aside on another disk: a digest of each piece as it lies there. Taken when the piece has
 * arrived and was compared with what it came from, and compared again before the piece is used.
 *
 * Where a device knows without reading what its bytes are, the digest is of that; it is compared on the same device only.
 */
import { sameBytes } from '@/core/bytes';
import { copyAcross, readBoth, readPieces, type BlockDevice, type SourceRun } from '@/core/device';
import { CoreError } from '@/core/errors';
import type { ByteRange } from '@/core/fs';
import { portableHasher, type HasherFactory } from '@/core/proof';

const READ_CHUNK = 4 * 1024 * 1024;
/** Below this, reading costs less than asking for the sources of halves. */
const LEAST_HALVED = 256 * 1024;

/** A place on a device where a volume of some length begins. */
export interface CarryEnd {
  readonly device: BlockDevice;
  readonly start: number;
}

/** A stretch of a piece, from the volume's start: zeros, bytes of known sources, or bytes to be read. */
interface Stretch {
  readonly at: number;
  readonly length: number;
  readonly known?: 'zeros' | readonly SourceRun[];
}

function* stretchesOf(end: CarryEnd, parts: readonly ByteRange[]): Generator<Stretch> {
  const { device, start } = end;
  for (const part of parts) {
    let { start: at } = part;
    for (const occupied of device.occupied(start + at, start + part.end)) {
      const from = occupied.start - start;
      if (from > at) yield { at, length: from - at, known: 'zeros' };
      for (at = from; at < occupied.end - start;) {
        const length = Math.min(READ_CHUNK, occupied.end - start - at);
        yield* chunkOf(end, at, length);
        at += length;
      }
    }
    if (at < part.end) yield { at, length: part.end - at, known: 'zeros' };
  }
}

function* chunkOf(end: CarryEnd, at: number, length: number): Generator<Stretch> {
  const { device, start } = end;
  const known = device.sources(start + at, length);
  if (known) yield { at, length, known };
  else if (length >= 2 * LEAST_HALVED && device.sources(start + at, device.sectorSize)) {
    const half = Math.floor(length / 2 / device.sectorSize) * device.sectorSize;
    yield* chunkOf(end, at, half);
    yield* chunkOf(end, at + half, length - half);
  } else yield { at, length };
}

/** @param source what it came from, where that is compared too; undefined is given where it has something else */
async function sealOf(
  end: CarryEnd,
  parts: readonly ByteRange[],
  hasher: HasherFactory,
  source?: CarryEnd,
): Promise<string | undefined> {
  const hash = await hasher();
  const text = new TextEncoder();
  for (const stretch of stretchesOf(end, parts)) {
    const { at, length, known } = stretch;
    hash.update(text.encode(JSON.stringify([at, length, known ?? 'bytes'])));
    const range = { start: end.start + at, end: end.start + at + length };
    if (known) {
      if (source && !(await isSame(source, end, stretch))) return undefined;
    } else if (source)
      for await (const [{ bytes }, sent] of readBoth(end.device, range, source.device, source.start + at)) {
        if (!sameBytes(bytes, sent.bytes)) return undefined;
        hash.update(bytes);
      }
    else for await (const { bytes } of readPieces(end.device, [range])) hash.update(bytes);
  }
  return hash.digest();
}

/** Whether the source has in a stretch what arrived, which is known without reading. */
async function isSame(source: CarryEnd, arrived: CarryEnd, { at, length, known }: Stretch): Promise<boolean> {
  if (known && known !== 'zeros') {
    const sources = source.device.sources(source.start + at, length);
    if (sources && JSON.stringify(sources) === JSON.stringify(known)) return true;
  }
  if (known === 'zeros') {
    const occupied = source.device.occupied(source.start + at, source.start + at + length);
    if (occupied.next().done) return true;
  }
  const range = { start: arrived.start + at, end: arrived.start + at + length };
  for await (const [came, sent] of readBoth(arrived.device, range, source.device, source.start + at))
    if (!sameBytes(came.bytes, sent.bytes)) return false;
  return true;
}

/** Seals a piece that has arrived. @throws CoreError `run.elsewhere` when it is not what it came from */
export async function sealArrived(
  source: CarryEnd,
  arrived: CarryEnd,
  parts: readonly ByteRange[],
  name: string,
  hasher: HasherFactory = portableHasher,
): Promise<string> {
  const seal = await sealOf(arrived, parts, hasher, source);
  if (seal !== undefined) return seal;
  throw new CoreError('run.elsewhere', { name, reason: 'what arrived there is not what was sent' });
}

/** Compares a piece with its seal. @throws CoreError `run.elsewhere` when it is not what was put there */
export async function assertSealed(
  end: CarryEnd,
  parts: readonly ByteRange[],
  seal: string | undefined,
  name: string,
  hasher: HasherFactory = portableHasher,
): Promise<void> {
  if (seal === undefined || (await sealOf(end, parts, hasher)) !== seal)
    throw new CoreError('run.elsewhere', { name, reason: 'it is not what was put there' });
}

/** Copies the parts of a piece from one disk to another. @returns how many bytes had to be read and written */
export async function copyParts(source: CarryEnd, target: CarryEnd, parts: readonly ByteRange[]): Promise<number> {
  let copied = 0;
  for (const { start, end } of parts)
    copied += await copyAcross(source.device, source.start + start, target.device, target.start + start, end - start);
  return copied;
}
