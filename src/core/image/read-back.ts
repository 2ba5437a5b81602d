/** Reading back what was saved, and comparing it with what it was to be. */
import { isZeros, sameBytes } from '@/core/bytes';
import { readBoth, type BlockDevice } from '@/core/device';
import { CoreError } from '@/core/errors';
import type { ByteSource } from './image-device';
import type { Unpacker } from './unpack';

const NEAR_BYTES = 64 * 1024;

/**
 * Compares an image with the disk that was saved in it: its size, and every stretch that either says may hold anything.
 * @param saved the image, opened as it was saved
 * @param name what the image is called
 * @param progress told of the bytes compared so far
 * @throws CoreError `image.not-as-saved`, `device.read-failed`
 */
export async function assertSavedAs(
  disk: BlockDevice,
  saved: BlockDevice,
  name: string,
  progress: (bytes: number) => void = () => undefined,
): Promise<void> {
  if (saved.size < disk.size) throw new CoreError('image.not-as-saved', { name, offset: saved.size });
  let done = 0;
  const compare = async (start: number, end: number): Promise<void> => {
    for await (const [{ offset, bytes }, back] of readBoth(disk, { start, end }, saved)) {
      if (!sameBytes(bytes, back.bytes)) throw new CoreError('image.not-as-saved', { name, offset });
      done += bytes.length;
      progress(done);
    }
  };
  // What the image holds beside what the disk does must be zeros there too.
  for (const { start, end } of inEither(disk.occupied(), saved.occupied(0, disk.size))) await compare(start, end);
}

interface Range {
  readonly start: number;
  readonly end: number;
}

/** What is in either of two sorted lists, in order; what lies near each other is one, since it is read in one go. */
function* inEither(a: Iterator<Range>, b: Iterator<Range>): Generator<Range> {
  let [one, other] = [a.next(), b.next()];
  let last: { start: number; end: number } | undefined;
  while (!one.done || !other.done) {
    const fromOne = other.done || (!one.done && one.value.start <= other.value.start);
    const { start, end } = (fromOne ? one : other).value as Range;
    if (fromOne) one = a.next();
    else other = b.next();
    if (last && start <= last.end + NEAR_BYTES) last.end = Math.max(last.end, end);
    else {
      if (last) yield last;
      last = { start, end };
    }
  }
  if (last) yield last;
}

/**
 * Compares what a packed image unpacks to with the disk that was saved in it, bit by bit as it comes.
 * @param saved the packed file, as it was saved
 * @throws CoreError `image.not-as-saved`, `device.read-failed`
 */
export async function assertUnpacksTo(disk: BlockDevice, saved: ByteSource, unpacker: Unpacker): Promise<void> {
  const { name } = saved;
  let at = 0;
  const compare = async (bytes: Uint8Array): Promise<void> => {
    const end = at + bytes.length;
    const asWell = end <= disk.size && isZeros(bytes) && disk.occupied(at, end).next().done;
    if (!asWell && (end > disk.size || !sameBytes(await disk.bytes(at, bytes.length), bytes)))
      throw new CoreError('image.not-as-saved', { name, offset: at });
    at = end;
  };
  try {
    await unpacker(saved, compare, {});
  } catch (cause) {
    throw cause instanceof CoreError ? cause : new CoreError('image.not-as-saved', { name, offset: at }, cause);
  }
  if (at !== disk.size) throw new CoreError('image.not-as-saved', { name, offset: at });
}
