/** A device that is one buffer, shared with the caller: what is written shows in `buffer`. */
import { BlockDevice } from './block-device';

export class MemoryDevice extends BlockDevice {
  constructor(
    readonly buffer: Uint8Array,
    readonly sectorSize = 512,
  ) {
    super();
  }

  get size(): number {
    return this.buffer.length;
  }

  protected override async readAt(offset: number, into: Uint8Array): Promise<void> {
    into.set(this.buffer.subarray(offset, offset + into.length));
  }

  protected override async writeAt(offset: number, from: Uint8Array): Promise<void> {
    this.buffer.set(from, offset);
  }
}
