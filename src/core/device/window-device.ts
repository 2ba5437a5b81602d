/** A part of a device as a device of its own: a volume on its disk. */
import { BlockDevice, type SourceRun } from './block-device';

export class WindowDevice extends BlockDevice {
  readonly sectorSize: number;

  /** The bytes [start, start + size) of `device`. @throws RangeError when they are not all on it */
  constructor(
    readonly device: BlockDevice,
    readonly start: number,
    readonly size: number,
  ) {
    super();
    if (start < 0 || size < 0 || start + size > device.size) {
      throw new RangeError(`window [${start}, ${start + size}) is outside the device [0, ${device.size})`);
    }
    this.sectorSize = device.sectorSize;
  }

  protected override readAt(offset: number, into: Uint8Array): Promise<void> {
    return this.device.read(this.start + offset, into);
  }

  protected override writeAt(offset: number, from: Uint8Array): Promise<void> {
    return this.device.write(this.start + offset, from);
  }

  protected override verifyAt(offset: number, length: number): Promise<void> {
    return this.device.verify(this.start + offset, length);
  }

  override get refers(): boolean {
    return this.device.refers;
  }

  override flush(): Promise<void> {
    return this.device.flush();
  }

  protected override copyAt(from: number, to: number, length: number): Promise<void> {
    return this.device.copy(this.start + from, this.start + to, length);
  }

  protected override discardAt(offset: number, length: number): Promise<void> {
    return this.device.discard(this.start + offset, length);
  }

  protected override placeAt(offset: number, length: number, seed: number, at: number): Promise<void> {
    return this.device.place(this.start + offset, length, seed, at);
  }

  protected override sourcesAt(offset: number, length: number): SourceRun[] | undefined {
    return this.device.sources(this.start + offset, length);
  }

  override *occupied(start = 0, end = this.size): Generator<{ start: number; end: number }> {
    for (const range of this.device.occupied(this.start + start, this.start + end)) {
      yield { start: range.start - this.start, end: range.end - this.start };
    }
  }
}
