/**
 * Rewinding a run that wrote in place: before a stretch of the disk is first overwritten, what it held is kept.
 *
 * The log is a list of (offset, bytes) with the checksum framing of its store; putting them all back, in any order,
 * gives the disk as it was, since each stretch is kept once, before its first change.
 */
import { BlockDevice } from '@/core/device';

/** Where undo data is kept. Appended stretches never overlap. */
export interface UndoStore {
  append(offset: number, bytes: Uint8Array): Promise<void>;
  flush(): Promise<void>;
  entries(): AsyncIterable<{ offset: number; bytes: Uint8Array }>;
  clear(): Promise<void>;
}

const UNIT = 64 * 1024;

/** A device that keeps what it overwrites. Reads and barriers pass through. */
export class UndoDevice extends BlockDevice {
  readonly #kept: Set<number>;

  private constructor(
    private readonly inner: BlockDevice,
    private readonly store: UndoStore,
    kept: Set<number>,
  ) {
    super();
    this.#kept = kept;
  }

  /** Wraps `inner`; stretches that `store` holds from before are not kept again. */
  static async open(inner: BlockDevice, store: UndoStore): Promise<UndoDevice> {
    const kept = new Set<number>();
    for await (const { offset } of store.entries()) kept.add(offset / UNIT);
    return new UndoDevice(inner, store, kept);
  }

  get size(): number {
    return this.inner.size;
  }

  get sectorSize(): number {
    return this.inner.sectorSize;
  }

  protected override readAt(offset: number, into: Uint8Array): Promise<void> {
    return this.inner.read(offset, into);
  }

  protected override async writeAt(offset: number, from: Uint8Array): Promise<void> {
    await this.#keep(offset, from.length);
    await this.inner.write(offset, from);
  }

  override flush(): Promise<void> {
    return this.inner.flush();
  }

  async #keep(offset: number, length: number): Promise<void> {
    let added = false;
    for (let unit = Math.floor(offset / UNIT); unit * UNIT < offset + length; unit++) {
      if (this.#kept.has(unit)) continue;
      const start = unit * UNIT;
      await this.store.append(start, await this.inner.bytes(start, Math.min(UNIT, this.size - start)));
      this.#kept.add(unit);
      added = true;
    }
    if (added) await this.store.flush();
  }
}

/** Puts everything back. The store is cleared by the caller once the disk is durable. */
export async function rewindDisk(disk: BlockDevice, store: UndoStore): Promise<number> {
  let bytes = 0;
  for await (const entry of store.entries()) {
    await disk.write(entry.offset, entry.bytes);
    bytes += entry.bytes.length;
  }
  await disk.flush();
  return bytes;
}
