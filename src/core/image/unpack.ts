/** Unpacking a compressed file as a stream into chunks, of which those of zeros take no room. */
import { isZeros } from '@/core/bytes';
import { CoreError } from '@/core/errors';
import type { ByteSource } from './image-device';

const CHUNK = 64 * 1024;
/** What is unpacked at a time; DEFLATE makes at most 1 032 bytes of one, so that nothing piles up. */
const READ = 64 * 1024;
/** What may be kept in memory; larger images are unpacked by hand first. */
const MOST_KEPT = 3 * 1024 * 1024 * 1024;
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

/** Bytes in chunks by number; a chunk that is not there is zeros. */
class ChunkedSource implements ByteSource {
  readonly #chunks = new Map<number, Uint8Array>();
  #open = new Uint8Array(CHUNK);
  size = 0;

  constructor(readonly name: string) {}

  append(bytes: Uint8Array): void {
    for (let done = 0; done < bytes.length;) {
      const at = this.size % CHUNK;
      const part = Math.min(CHUNK - at, bytes.length - done);
      this.#open.set(bytes.subarray(done, done + part), at);
      this.size += part;
      done += part;
      if (this.size % CHUNK === 0) this.#close(this.size / CHUNK - 1);
    }
  }

  #close(index: number): void {
    if (isZeros(this.#open)) return;
    if ((this.#chunks.size + 1) * CHUNK > MOST_KEPT)
      throw new CoreError('image.too-large', { name: this.name, most: MOST_KEPT });
    this.#chunks.set(index, this.#open);
    this.#open = new Uint8Array(CHUNK);
  }

  finish(): void {
    const at = this.size % CHUNK;
    if (at === 0) return;
    this.#open.fill(0, at);
    this.#close(Math.floor(this.size / CHUNK));
  }

  async read(offset: number, into: Uint8Array): Promise<void> {
    if (offset + into.length > this.size) throw new RangeError('read past the end');
    for (let done = 0; done < into.length;) {
      const index = Math.floor((offset + done) / CHUNK);
      const at = offset + done - index * CHUNK;
      const part = Math.min(CHUNK - at, into.length - done);
      const chunk = this.#chunks.get(index);
      if (chunk) into.set(chunk.subarray(at, at + part), done);
      else into.fill(0, done, done + part);
      done += part;
    }
  }

  *occupied(): Generator<{ start: number; end: number }> {
    for (const index of [...this.#chunks.keys()].sort((a, b) => a - b))
      yield { start: index * CHUNK, end: Math.min(this.size, (index + 1) * CHUNK) };
  }
}

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
      if (ended) out.finish();
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
 * @throws CoreError `image.container` when the file is damaged, `image.too-large`, `image.not-a-disk`,
 *   `device.read-failed`; the signal's reason when aborted
 */
export async function unpack(source: ByteSource, unpacker: Unpacker, options: UnpackOptions): Promise<ByteSource> {
  const out = new ChunkedSource(source.name);
  const judge = new Judge(out, options.mostBytes);
  try {
    await unpacker(
      source,
      async (bytes) => {
        options.signal?.throwIfAborted();
        out.append(bytes);
        await judge.look(false);
      },
      options,
    );
    if (out.size >= SECTOR) await judge.look(true);
  } catch (cause) {
    options.signal?.throwIfAborted();
    if (cause instanceof CoreError) throw cause;
    const reason = cause instanceof Error ? cause.message : String(cause);
    throw new CoreError('image.container', { name: source.name, reason: `it can’t be unpacked: ${reason}` }, cause);
  }
  out.finish();
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
