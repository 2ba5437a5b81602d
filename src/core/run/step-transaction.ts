/** The transaction of one step: direct operations on free bytes, everything else gathered for the journal. */
import { copyAcross, type BlockDevice } from '@/core/device';
import { overlapsAny, type ByteRange, type Transaction } from '@/core/fs';
import { PendingWrites } from './pending-writes';

/** Long enough to stream, short enough to stop soon. */
const DIRECT_CHUNK = 16 * 1024 * 1024;

/** What a transaction is told of its surroundings. */
export interface TransactionContext {
  readonly signal?: AbortSignal;
  /** Told of bytes carried, as they are. */
  readonly carried?: (bytes: number) => void;
}

export class StepTransaction implements Transaction {
  readonly #pending: PendingWrites;

  /**
   * @param disk the whole disk
   * @param start where the volume begins on it; the transaction's offsets count from there
   * @param live sorted ranges of the volume that must not be written directly
   */
  constructor(
    private readonly disk: BlockDevice,
    private readonly start: number,
    private readonly live: readonly ByteRange[],
    private readonly context: TransactionContext = {},
  ) {
    this.#pending = new PendingWrites(disk);
  }

  async read(offset: number, into: Uint8Array): Promise<void> {
    await this.disk.read(this.start + offset, into);
    this.#pending.overlay(this.start + offset, into);
  }

  write(offset: number, from: Uint8Array): Promise<void> {
    return this.#pending.add(this.start + offset, from);
  }

  async copy(from: number, to: number, length: number): Promise<void> {
    this.#assertFree(to, length);
    await this.#inChunks(length, async (done, size) => {
      await this.disk.copy(this.start + from + done, this.start + to + done, size);
      this.context.carried?.(size);
    });
  }

  async copyFrom(device: BlockDevice, from: number, to: number, length: number): Promise<void> {
    this.#assertFree(to, length);
    await this.#inChunks(length, async (done, size) => {
      await copyAcross(device, from + done, this.disk, this.start + to + done, size);
      this.context.carried?.(size);
    });
  }

  async writeFree(offset: number, from: Uint8Array): Promise<void> {
    this.#assertFree(offset, from.length);
    this.context.signal?.throwIfAborted();
    await this.disk.write(this.start + offset, from);
  }

  async placeFree(offset: number, length: number, seed: number, at: number): Promise<void> {
    this.#assertFree(offset, length);
    await this.#inChunks(length, (done, size) => this.disk.place(this.start + offset + done, size, seed, at + done));
  }

  async clearFree(offset: number, length: number): Promise<void> {
    this.#assertFree(offset, length);
    await this.#inChunks(length, (done, size) => this.disk.discard(this.start + offset + done, size));
  }

  /** The gathered writes as runs of whole sectors of the disk, by offset. */
  runs(): Generator<{ offset: number; bytes: Uint8Array }> {
    return this.#pending.runs();
  }

  async #inChunks(length: number, act: (done: number, size: number) => Promise<void>): Promise<void> {
    for (let done = 0; done < length; done += DIRECT_CHUNK) {
      this.context.signal?.throwIfAborted();
      await act(done, Math.min(DIRECT_CHUNK, length - done));
    }
  }

  #assertFree(offset: number, length: number): void {
    if (overlapsAny(this.live, offset, offset + length)) {
      throw new RangeError(
        `bytes [${offset}, ${offset + length}) of the volume are live and can't be written directly`,
      );
    }
  }
}
