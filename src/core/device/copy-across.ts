/** Copying from one device to another, by reference where the source is known without reading. */
import type { BlockDevice } from './block-device';
import { readPieces } from './pieces';

const CHUNK_BYTES = 4 * 1024 * 1024;
/** Below this, reading costs less than asking for the sources of halves. */
const LEAST_HALVED = 256 * 1024;

/**
 * Copies `length` bytes. What reads as zeros is told to the target as such, and procedural content is put there anew.
 * @returns how many bytes had to be read and written
 * @throws RangeError outside a device; CoreError `device.read-failed`, `device.write-failed`
 */
export async function copyAcross(
  source: BlockDevice,
  from: number,
  target: BlockDevice,
  to: number,
  length: number,
): Promise<number> {
  let [at, carried] = [from, 0];
  // Listed first: both may lie over one disk, whose map changes with every write to the target.
  for (const { start, end } of [...source.occupied(from, from + length)]) {
    if (start > at) await target.discard(to + at - from, start - at);
    for (at = start; at < end;) {
      const size = Math.min(CHUNK_BYTES, end - at);
      carried += await copyChunk(source, at, target, to + at - from, size);
      at += size;
    }
  }
  if (at < from + length) await target.discard(to + at - from, from + length - at);
  return carried;
}

async function copyChunk(
  source: BlockDevice,
  from: number,
  target: BlockDevice,
  to: number,
  length: number,
): Promise<number> {
  const known = source.sources(from, length);
  if (known) {
    let at = to;
    for (const run of known) {
      await target.place(at, run.length, run.seed, run.at);
      at += run.length;
    }
    return 0;
  }
  if (length >= 2 * LEAST_HALVED && source.sources(from, source.sectorSize)) {
    // It begins with what is known; what does not is read in one go.
    const half = Math.floor(length / 2 / source.sectorSize) * source.sectorSize;
    const first = await copyChunk(source, from, target, to, half);
    return first + (await copyChunk(source, from + half, target, to + half, length - half));
  }
  for await (const { offset, bytes } of readPieces(source, [{ start: from, end: from + length }]))
    await target.write(to + offset - from, bytes);
  return length;
}
