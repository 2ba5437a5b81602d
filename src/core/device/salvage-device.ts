/**
 * A device that fails, read as far as it goes: a stretch that can't be read is read again in smaller pieces down to its
 * sectors, each tried a few times, and what stays unreadable reads as zeros and is told. It is never written.
 */
import { isCoreError } from '@/core/errors';
import { BlockDevice, type SourceRun } from './block-device';

/** How often a sector is tried again; a worn medium often answers at a further try. */
const TRIES = 3;

export class SalvageDevice extends BlockDevice {
  constructor(
    private readonly inner: BlockDevice,
    /** Told of what reads as zeros because it can't be read: bytes of the device. */
    private readonly lost: (offset: number, length: number) => void,
  ) {
    super();
  }

  get size(): number {
    return this.inner.size;
  }

  get sectorSize(): number {
    return this.inner.sectorSize;
  }

  protected override async readAt(offset: number, into: Uint8Array): Promise<void> {
    if (await this.#tried(offset, into)) return;
    const { sectorSize } = this;
    const first = Math.floor(offset / sectorSize);
    const sectors = Math.ceil((offset + into.length) / sectorSize) - first;
    if (sectors > 1) {
      const middle = (first + Math.floor(sectors / 2)) * sectorSize - offset;
      await this.readAt(offset, into.subarray(0, middle));
      await this.readAt(offset + middle, into.subarray(middle));
      return;
    }
    for (let n = 1; n < TRIES; n++) if (await this.#tried(offset, into)) return;
    into.fill(0);
    this.lost(offset, into.length);
  }

  async #tried(offset: number, into: Uint8Array): Promise<boolean> {
    try {
      await this.inner.read(offset, into);
      return true;
    } catch (error) {
      if (!isCoreError(error, 'device.read-failed')) throw error;
      return false;
    }
  }

  /** @throws RangeError always: nothing is written to a disk that fails */
  protected override writeAt(): Promise<void> {
    throw new RangeError('a device that is salvaged is only read');
  }

  protected override sourcesAt(offset: number, length: number): SourceRun[] | undefined {
    return this.inner.sources(offset, length);
  }

  override occupied(start?: number, end?: number): Generator<{ start: number; end: number }> {
    return this.inner.occupied(start, end);
  }
}
