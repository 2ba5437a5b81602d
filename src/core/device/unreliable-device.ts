/**
 * A medium with a power switch, for proving that nothing depends on luck: writes stay volatile until a flush, and when
 * the power goes any subset of the volatile ones has arrived, in any order, each possibly torn between sectors.
 */
import { CoreError } from '@/core/errors';
import { BlockDevice } from './block-device';

/** A write that no flush has followed. */
export interface UnflushedWrite {
  readonly offset: number;
  readonly bytes: Uint8Array;
}

/** Some sectors of some writes arrive, in a shuffled order. `random` returns numbers in [0, 1). */
export async function loseSome(
  disk: BlockDevice,
  writes: readonly UnflushedWrite[],
  random: () => number,
): Promise<void> {
  const sector = disk.sectorSize;
  const pending = writes.map((write) => ({ write, key: random() })).sort((a, b) => a.key - b.key);
  for (const { write } of pending) {
    if (random() < 0.4) continue;
    const torn = random() < 0.5;
    for (let at = 0; at < write.bytes.length;) {
      const end = Math.min(write.bytes.length, at + sector - ((write.offset + at) % sector));
      if (!torn || random() < 0.5) await disk.write(write.offset + at, write.bytes.subarray(at, end));
      at = end;
    }
  }
}

/** When the power goes, and the dice for what arrives. `random` returns numbers in [0, 1). */
export interface PowerCut {
  /** The number of writes and flushes that still succeed; Infinity for never. */
  readonly after: number;
  readonly random: () => number;
}

export class UnreliableDevice extends BlockDevice {
  #volatile: UnflushedWrite[] = [];
  #left: number;
  #dead = false;
  /** Writes and flushes so far. */
  operations = 0;

  constructor(
    private readonly inner: BlockDevice,
    private readonly cut: PowerCut,
  ) {
    super();
    this.#left = cut.after;
  }

  get size(): number {
    return this.inner.size;
  }

  get sectorSize(): number {
    return this.inner.sectorSize;
  }

  protected override async readAt(offset: number, into: Uint8Array): Promise<void> {
    if (this.#dead) throw new CoreError('device.power-cut', { offset });
    await this.inner.read(offset, into);
    for (const write of this.#volatile) {
      const start = Math.max(offset, write.offset);
      const end = Math.min(offset + into.length, write.offset + write.bytes.length);
      if (start < end) into.set(write.bytes.subarray(start - write.offset, end - write.offset), start - offset);
    }
  }

  protected override async writeAt(offset: number, from: Uint8Array): Promise<void> {
    this.#volatile.push({ offset, bytes: from.slice() });
    await this.#tick(offset);
  }

  override async flush(): Promise<void> {
    await this.#tick(0);
    for (const write of this.#volatile) await this.inner.write(write.offset, write.bytes);
    this.#volatile = [];
    await this.inner.flush();
  }

  async #tick(offset: number): Promise<void> {
    if (this.#dead) throw new CoreError('device.power-cut', { offset });
    this.operations += 1;
    if (this.#left-- > 0) return;
    this.#dead = true;
    await loseSome(this.inner, this.#volatile, this.cut.random);
    this.#volatile = [];
    throw new CoreError('device.power-cut', { offset });
  }
}
