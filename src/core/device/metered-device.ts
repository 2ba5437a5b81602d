/** A device that counts what is done with it. */
import { BlockDevice, type SourceRun } from './block-device';

/** What was done with a device. Plain data; bytes, but for counts. */
export interface DeviceUse {
  readonly read: number;
  readonly written: number;
  /** Barriers. */
  readonly flushes: number;
  /** Reads and writes that failed, tries again counted one by one. */
  readonly failed: number;
}

export class MeteredDevice extends BlockDevice {
  #use = { read: 0, written: 0, flushes: 0, failed: 0 };

  constructor(private readonly inner: BlockDevice) {
    super();
  }

  get size(): number {
    return this.inner.size;
  }

  get sectorSize(): number {
    return this.inner.sectorSize;
  }

  override get refers(): boolean {
    return this.inner.refers;
  }

  /** What was done since this was asked last. */
  take(): DeviceUse {
    const use = this.#use;
    this.#use = { read: 0, written: 0, flushes: 0, failed: 0 };
    return use;
  }

  async #counted(act: () => Promise<void>, done: (use: { read: number; written: number }) => void): Promise<void> {
    try {
      await act();
    } catch (error) {
      this.#use.failed += 1;
      throw error;
    }
    done(this.#use);
  }

  protected override readAt(offset: number, into: Uint8Array): Promise<void> {
    return this.#counted(
      () => this.inner.read(offset, into),
      (use) => (use.read += into.length),
    );
  }

  protected override writeAt(offset: number, from: Uint8Array): Promise<void> {
    return this.#counted(
      () => this.inner.write(offset, from),
      (use) => (use.written += from.length),
    );
  }

  protected override verifyAt(offset: number, length: number): Promise<void> {
    return this.#counted(
      () => this.inner.verify(offset, length),
      (use) => (use.read += length),
    );
  }

  protected override copyAt(from: number, to: number, length: number): Promise<void> {
    return this.#counted(
      () => this.inner.copy(from, to, length),
      (use) => {
        use.read += length;
        use.written += length;
      },
    );
  }

  protected override discardAt(offset: number, length: number): Promise<void> {
    return this.#counted(
      () => this.inner.discard(offset, length),
      (use) => (use.written += length),
    );
  }

  protected override placeAt(offset: number, length: number, seed: number, at: number): Promise<void> {
    return this.#counted(
      () => this.inner.place(offset, length, seed, at),
      (use) => (use.written += length),
    );
  }

  protected override sourcesAt(offset: number, length: number): SourceRun[] | undefined {
    return this.inner.sources(offset, length);
  }

  override occupied(start?: number, end?: number): Generator<{ start: number; end: number }> {
    return this.inner.occupied(start, end);
  }

  override async flush(): Promise<void> {
    await this.inner.flush();
    this.#use.flushes += 1;
  }
}
