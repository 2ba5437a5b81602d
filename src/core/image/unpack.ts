/** Unpacking a compressed file as a stream into chunks, of which those of zeros take no room. */
import { CoreError } from '@/core/errors';
import type { ByteSource } from './image-device';

const CHUNK = 64 * 1024;
const READ = 1024 * 1024;
/** What may be kept in memory; larger images are unpacked by hand first. */
const MOST_KEPT = 3 * 1024 * 1024 * 1024;
const SECTOR = 512;

/** Takes what is to be done with unpacked bytes and gives what takes packed ones. Bytes are borrowed for the call. */
export type Unpacker = (emit: (bytes: Uint8Array) => void) => PackedSink | Promise<PackedSink>;
type PackedSink = (chunk: Uint8Array, last: boolean) => void | Promise<void>;

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
    if (this.#open.every((b) => b === 0)) return;
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

/** @throws CoreError `image.container` when the file is damaged, `image.too-large`, `device.read-failed` */
export async function unpack(
  source: ByteSource,
  unpacker: Unpacker,
  progress?: (done: number) => void,
): Promise<ByteSource> {
  const out = new ChunkedSource(source.name);
  const fail = (cause: unknown): never => {
    if (cause instanceof CoreError) throw cause;
    const reason = cause instanceof Error ? cause.message : String(cause);
    throw new CoreError('image.container', { name: source.name, reason: `it can’t be unpacked: ${reason}` }, cause);
  };
  try {
    const push = await unpacker((bytes) => out.append(bytes));
    for (let offset = 0; offset < source.size; offset += READ) {
      const chunk = new Uint8Array(Math.min(READ, source.size - offset));
      await source.read(offset, chunk);
      await push(chunk, offset + chunk.length === source.size);
      progress?.(offset + chunk.length);
    }
  } catch (cause) {
    fail(cause);
  }
  out.finish();
  if (out.size < SECTOR)
    throw new CoreError('image.container', { name: source.name, reason: 'there is no disk in it' });
  return out;
}
