/** Unpacking a compressed file as a stream into chunks, of which those of zeros take no room. */
import { CoreError } from '@/core/errors';
import { CHUNK, ChunkedSource, type MakeSpill } from './chunked-source';
import type { ByteSource } from './image-device';

/** What is unpacked at a time; DEFLATE makes at most 1 032 bytes of one, so that nothing piles up. */
const READ = 64 * 1024;
const SECTOR = 512;
/** How much of a disk tells whether it is one. */
export const HEAD_BYTES = 1024 * 1024;

/** How a packed file is opened. */
export interface UnpackOptions {
  /** Which file of an archive the image is. */
  readonly inside?: string | undefined;
  /** Told how much of the packed file has been gone through. */
  readonly progress?: (done: number, total: number) => void;
  readonly signal?: AbortSignal;
  /** Where what does not go into memory may be put. */
  readonly spill?: MakeSpill | undefined;
  /**
   * The most bytes that a disk which begins like this may have, or undefined when no disk begins so: what goes on for
   * longer is not a disk but something made to fill whatever unpacks it.
   */
  readonly mostBytes?: (head: Uint8Array) => Promise<number | undefined>;
}

/** Takes unpacked bytes in order; they are borrowed for the call. */
export type Emit = (bytes: Uint8Array) => Promise<void>;

/** Reads a packed source to its end and gives what it holds. @throws whatever says that it is damaged */
export type Unpacker = (source: ByteSource, emit: Emit, options: UnpackOptions) => Promise<void>;

/** Refuses what is no disk, or is longer than one can be, as soon as that shows. */
class Judge {
  #most: number | undefined;

  constructor(
    private readonly out: ChunkedSource,
    private readonly mostBytes: UnpackOptions['mostBytes'],
  ) {}

  async look(ended: boolean): Promise<void> {
    const { out } = this;
    if (!this.mostBytes) return;
    if (this.#most === undefined) {
      if (out.size < HEAD_BYTES && !ended) return;
      const head = new Uint8Array(Math.floor(Math.min(HEAD_BYTES, out.size) / CHUNK) * CHUNK || out.size);
      await out.read(0, head);
      this.#most = await this.mostBytes(head);
      if (this.#most === undefined) throw new CoreError('image.not-a-disk', { name: out.name, size: out.size });
    }
    if (out.size > this.#most)
      throw new CoreError('image.container', {
        name: out.name,
        reason: `it unpacks to more than the ${this.#most} bytes that a disk which begins like this can have`,
      });
  }
}

/**
 * @throws CoreError `image.container` when the file is damaged, `image.too-large`, `image.no-room`, `image.not-a-disk`,
 *   `device.read-failed`; the signal's reason when aborted
 */
export async function unpack(source: ByteSource, unpacker: Unpacker, options: UnpackOptions): Promise<ByteSource> {
  const out = new ChunkedSource(source.name, options.spill);
  const judge = new Judge(out, options.mostBytes);
  try {
    await unpacker(
      source,
      async (bytes) => {
        options.signal?.throwIfAborted();
        await out.append(bytes);
        await judge.look(false);
      },
      options,
    );
    await out.finish();
    if (out.size >= SECTOR) await judge.look(true);
  } catch (cause) {
    options.signal?.throwIfAborted();
    if (cause instanceof CoreError) throw cause;
    const reason = cause instanceof Error ? cause.message : String(cause);
    throw new CoreError('image.container', { name: source.name, reason: `it can’t be unpacked: ${reason}` }, cause);
  }
  if (out.size < SECTOR)
    throw new CoreError('image.container', { name: source.name, reason: 'there is no disk in it' });
  return out;
}

/** The packed bytes in order, in pieces that are borrowed until the next. */
export async function* packedPieces(
  source: ByteSource,
  { signal, progress }: UnpackOptions,
): AsyncGenerator<Uint8Array> {
  for (let offset = 0; offset < source.size; offset += READ) {
    signal?.throwIfAborted();
    const piece = new Uint8Array(Math.min(READ, source.size - offset));
    await source.read(offset, piece);
    yield piece;
    progress?.(offset + piece.length, source.size);
  }
}
