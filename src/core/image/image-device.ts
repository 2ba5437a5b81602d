/** A disk image opened by reference: nothing is read until it is asked for, nothing is ever written. */
import { CoreError, type Finding } from '@/core/errors';
import { firstAfter } from '@/core/bytes';
import { BlockDevice } from '@/core/device';

/** The smallest possible source of bytes: a file, a blob, a buffer. Buffers are borrowed for the call. */
export interface ByteSource {
  readonly name: string;
  readonly size: number;
  /** Bytes a sector of the disk, where the file says it. */
  readonly sectorSize?: number | undefined;
  /** What is to be said of the file, beside what the disk in it holds. */
  readonly remarks?: readonly Finding[] | undefined;
  read(offset: number, into: Uint8Array): Promise<void>;
  /** Stretches that may hold anything but zeros, in order; all of it when left out. */
  occupied?(): Iterable<{ start: number; end: number }>;
}

export class ImageDevice extends BlockDevice {
  readonly size: number;
  /** Asked for once: whoever goes over a disk asks for one stretch after the other. */
  #occupied: readonly { start: number; end: number }[] | undefined;

  constructor(
    private readonly source: ByteSource,
    readonly sectorSize: number,
  ) {
    super();
    this.size = Math.floor(source.size / sectorSize) * sectorSize;
  }

  protected override async readAt(offset: number, into: Uint8Array): Promise<void> {
    try {
      await this.source.read(offset, into);
    } catch (cause) {
      throw new CoreError('device.read-failed', { offset, length: into.length }, cause);
    }
  }

  override *occupied(start = 0, end = this.size): Generator<{ start: number; end: number }> {
    this.#occupied ??= [...(this.source.occupied?.() ?? [{ start: 0, end: this.size }])];
    for (let i = firstAfter(this.#occupied, start); i < this.#occupied.length; i++) {
      const range = this.#occupied[i]!;
      if (range.start >= end) return;
      yield { start: Math.max(start, range.start), end: Math.min(end, range.end) };
    }
  }

  protected override async writeAt(offset: number, from: Uint8Array): Promise<void> {
    throw new CoreError('device.write-failed', { offset, length: from.length });
  }
}
