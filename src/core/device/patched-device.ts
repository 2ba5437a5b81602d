/** A device as it would be with some of its bytes changed, or as it is with an end that it says it has. It is only read. */
import { CoreError } from '@/core/errors';
import { BlockDevice } from './block-device';

/** Bytes that stand at an offset instead of what is there. */
interface Patch {
  readonly offset: number;
  readonly bytes: Uint8Array;
}

export class PatchedDevice extends BlockDevice {
  readonly sectorSize: number;

  /**
   * @param patches later ones lie over earlier ones
   * @param size more than `inner` has where something reaches past its end, which can't be read
   */
  constructor(
    private readonly inner: BlockDevice,
    private readonly patches: readonly Patch[],
    readonly size = inner.size,
  ) {
    super();
    this.sectorSize = inner.sectorSize;
  }

  protected override async readAt(offset: number, into: Uint8Array): Promise<void> {
    if (offset + into.length > this.inner.size)
      throw new CoreError('device.read-failed', { offset, length: into.length });
    await this.inner.read(offset, into);
    for (const patch of this.patches) {
      const from = Math.max(offset, patch.offset);
      const to = Math.min(offset + into.length, patch.offset + patch.bytes.length);
      if (from < to) into.set(patch.bytes.subarray(from - patch.offset, to - patch.offset), from - offset);
    }
  }

  /** @throws RangeError always */
  protected override writeAt(): Promise<void> {
    throw new RangeError('a device that is patched is only read');
  }

  override *occupied(start = 0, end = this.size): Generator<{ start: number; end: number }> {
    yield* this.inner.occupied(start, Math.min(end, this.inner.size));
  }
}
