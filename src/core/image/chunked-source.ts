/** What a file unpacks to, in chunks of which those of zeros take no room: first in memory, then where there is more of it. */
import { isZeros } from '@/core/bytes';
import { CoreError, isCoreError } from '@/core/errors';
import type { ByteSource } from './image-device';

export const CHUNK = 64 * 1024;
/** What may be kept in memory where there is no other place; larger images are unpacked by hand first. */
const MOST_KEPT = 3 * 1024 * 1024 * 1024;

/** Room beside memory, which nobody else sees; whoever gave it takes it back. Buffers are borrowed for the call. */
export interface Spill {
  /** Bytes that are kept in memory before it is used. */
  readonly after: number;
  write(offset: number, from: Uint8Array): Promise<void>;
  read(offset: number, into: Uint8Array): Promise<void>;
}

/** Gives such room when it is needed; nothing where there is none. */
export type MakeSpill = () => Promise<Spill | undefined>;

/** Bytes that come in order. A chunk that is not there is zeros; one that has spilled is known by its place there. */
export class ChunkedSource implements ByteSource {
  readonly #chunks = new Map<number, Uint8Array | number>();
  #open = new Uint8Array(CHUNK);
  #kept = 0;
  #spilled = 0;
  #spill: Spill | undefined;
  #mostKept = MOST_KEPT;
  #asked = false;
  size = 0;

  constructor(
    readonly name: string,
    private readonly makeSpill: MakeSpill = async () => undefined,
  ) {}

  async append(bytes: Uint8Array): Promise<void> {
    for (let done = 0; done < bytes.length;) {
      const at = this.size % CHUNK;
      const part = Math.min(CHUNK - at, bytes.length - done);
      this.#open.set(bytes.subarray(done, done + part), at);
      this.size += part;
      done += part;
      if (this.size % CHUNK === 0) await this.#close(this.size / CHUNK - 1);
    }
  }

  async #close(index: number): Promise<void> {
    if (isZeros(this.#open)) return;
    if (!this.#asked) {
      this.#asked = true;
      this.#spill = await this.makeSpill();
      if (this.#spill) this.#mostKept = this.#spill.after;
    }
    if ((this.#kept + 1) * CHUNK <= this.#mostKept) {
      this.#kept += 1;
      this.#chunks.set(index, this.#open);
      this.#open = new Uint8Array(CHUNK);
      return;
    }
    if (!this.#spill) throw new CoreError('image.too-large', { name: this.name, most: MOST_KEPT });
    try {
      await this.#spill.write(this.#spilled * CHUNK, this.#open);
    } catch (cause) {
      throw isCoreError(cause) ? cause : new CoreError('image.no-room', { name: this.name }, cause);
    }
    this.#chunks.set(index, this.#spilled);
    this.#spilled += 1;
  }

  async finish(): Promise<void> {
    const at = this.size % CHUNK;
    if (at === 0) return;
    this.#open.fill(0, at);
    await this.#close(Math.floor(this.size / CHUNK));
  }

  async read(offset: number, into: Uint8Array): Promise<void> {
    if (offset + into.length > this.size) throw new RangeError('read past the end');
    for (let done = 0; done < into.length;) {
      const index = Math.floor((offset + done) / CHUNK);
      const at = offset + done - index * CHUNK;
      const chunk = this.#chunks.get(index);
      let part = Math.min(CHUNK - at, into.length - done);
      if (typeof chunk === 'number') {
        // What follows it there is read with it.
        for (let n = 1; done + part < into.length && this.#chunks.get(index + n) === chunk + n; n++)
          part = Math.min(part + CHUNK, into.length - done);
        await this.#spill!.read(chunk * CHUNK + at, into.subarray(done, done + part));
      } else if (chunk) into.set(chunk.subarray(at, at + part), done);
      else into.fill(0, done, done + part);
      done += part;
    }
  }

  *occupied(): Generator<{ start: number; end: number }> {
    for (const index of [...this.#chunks.keys()].sort((a, b) => a - b))
      yield { start: index * CHUNK, end: Math.min(this.size, (index + 1) * CHUNK) };
  }
}
