/**
 * A transaction over blocks that another volume needs until all is durable: what would be written there at once is
 * gathered. Only structures of the other volume are written over so, which nobody asks for any more by then.
 */
import type { BlockDevice } from '@/core/device';
import type { Transaction } from '../port';
import type { Retired } from '../retired';

const CHUNK = 1024 * 1024;

export class OverLive implements Transaction {
  /** @param live blocks of the other volume, numbered as in this one */
  constructor(
    private readonly tx: Transaction,
    private readonly live: Retired,
    private readonly blockSize: number,
  ) {}

  read(offset: number, into: Uint8Array): Promise<void> {
    return this.tx.read(offset, into);
  }

  write(offset: number, from: Uint8Array): Promise<void> {
    return this.tx.write(offset, from);
  }

  async copy(from: number, to: number, length: number): Promise<void> {
    for (const { offset, size, live } of this.#pieces(to, length)) {
      const at = from + offset - to;
      if (!live) await this.tx.copy(at, offset, size);
      else await this.#gather(offset, size, (done, into) => this.tx.read(at + done, into));
    }
  }

  async copyFrom(device: BlockDevice, from: number, to: number, length: number): Promise<void> {
    for (const { offset, size, live } of this.#pieces(to, length)) {
      const at = from + offset - to;
      if (!live) await this.tx.copyFrom(device, at, offset, size);
      else await this.#gather(offset, size, (done, into) => device.read(at + done, into));
    }
  }

  async writeFree(offset: number, from: Uint8Array): Promise<void> {
    for (const piece of this.#pieces(offset, from.length)) {
      const bytes = from.subarray(piece.offset - offset, piece.offset - offset + piece.size);
      await (piece.live ? this.tx.write(piece.offset, bytes) : this.tx.writeFree(piece.offset, bytes));
    }
  }

  async clearFree(offset: number, length: number): Promise<void> {
    for (const { offset: at, size, live } of this.#pieces(offset, length)) {
      if (!live) await this.tx.clearFree(at, size);
      else await this.#gather(at, size, async (_, into) => void into.fill(0));
    }
  }

  placeFree(offset: number, length: number, seed: number, at: number): Promise<void> {
    return this.tx.placeFree(offset, length, seed, at);
  }

  async #gather(offset: number, size: number, fill: (done: number, into: Uint8Array) => Promise<void>): Promise<void> {
    for (let done = 0; done < size; done += CHUNK) {
      const bytes = new Uint8Array(Math.min(CHUNK, size - done));
      await fill(done, bytes);
      await this.tx.write(offset + done, bytes);
    }
  }

  /** A run of bytes, cut where it gets onto live blocks and off them. */
  *#pieces(offset: number, length: number): Generator<{ offset: number; size: number; live: boolean }> {
    const { blockSize } = this;
    const first = Math.floor(offset / blockSize);
    const blocks = Math.ceil((offset + length) / blockSize) - first;
    for (const { start, length: run, lost } of this.live.pieces(first, blocks)) {
      const from = Math.max(offset, start * blockSize);
      const to = Math.min(offset + length, (start + run) * blockSize);
      yield { offset: from, size: to - from, live: lost };
    }
  }
}
