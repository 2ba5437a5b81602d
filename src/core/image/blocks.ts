/** What images of virtual disks share: a disk in blocks, each stored somewhere in the file or not at all. */
import { CoreError } from '@/core/errors';
import type { ByteSource } from './image-device';

/** Goes over a read block by block: `part` is what of it lies in `block`, from byte `at` of that on. */
export async function eachBlock(
  offset: number,
  into: Uint8Array,
  blockSize: number,
  act: (block: number, at: number, part: Uint8Array) => Promise<void>,
): Promise<void> {
  for (let done = 0; done < into.length;) {
    const block = Math.floor((offset + done) / blockSize);
    const at = offset + done - block * blockSize;
    const part = into.subarray(done, done + Math.min(blockSize - at, into.length - done));
    await act(block, at, part);
    done += part.length;
  }
}

/** The stretches of blocks that are stored, those that follow each other joined. */
export function* storedRanges(
  count: number,
  isStored: (block: number) => boolean,
  blockSize: number,
  size: number,
): Generator<{ start: number; end: number }> {
  for (let block = 0; block < count; block++) {
    if (!isStored(block)) continue;
    const first = block;
    while (block + 1 < count && isStored(block + 1)) block += 1;
    yield { start: first * blockSize, end: Math.min(size, (block + 1) * blockSize) };
  }
}

/** Refuses an image, with the reason. */
export const refuseImage = (name: string, reason: string, cause?: unknown): never => {
  throw new CoreError('image.container', { name, reason }, cause);
};

/** Tables longer than this belong to no disk that there is. */
export const MOST_TABLE_BYTES = 64 * 1024 * 1024;

/** Reads a stretch of the file that has to be there. @throws CoreError `image.container` */
export async function bytesAt(source: ByteSource, offset: number, length: number, what: string): Promise<Uint8Array> {
  const there = Number.isSafeInteger(offset) && offset >= 0 && length >= 0 && offset + length <= source.size;
  if (!there) refuseImage(source.name, `${what} is not in the file`);
  const out = new Uint8Array(length);
  await source.read(offset, out);
  return out;
}

/** The first bytes as the letters of a signature. */
export const textOf = (bytes: Uint8Array, length: number): string => String.fromCharCode(...bytes.subarray(0, length));

/** Keeps the newest few. */
export function keepFew<K, V>(map: Map<K, V>, key: K, value: V, most: number): void {
  if (map.size >= most) map.delete(map.keys().next().value!);
  map.set(key, value);
}
