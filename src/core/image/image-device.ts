/**
 * A raw disk image opened by reference: nothing is read until it is asked for, nothing is ever written.
 *
 * A raw image is the disk's sectors one after the other and nothing else, so there is no format to follow; files that
 * are a container instead are recognised by their published magic numbers and refused by name.
 */
import { CoreError } from '@/core/errors';
import { BlockDevice } from '@/core/device';

/** The smallest possible source of bytes: a file, a blob, a buffer. Buffers are borrowed for the call. */
export interface ByteSource {
  readonly name: string;
  readonly size: number;
  read(offset: number, into: Uint8Array): Promise<void>;
}

/** Magic numbers: gzip RFC 1952 §2.3.1, ZIP APPNOTE 4.3.7, .xz format 1.1 §2.1.1.1, qcow2 header. */
const CONTAINERS: readonly { name: string; magic: readonly number[] }[] = [
  { name: 'a gzip file', magic: [0x1f, 0x8b] },
  { name: 'a zip file', magic: [0x50, 0x4b, 0x03, 0x04] },
  { name: 'an xz file', magic: [0xfd, 0x37, 0x7a, 0x58, 0x5a, 0x00] },
  { name: 'a qcow2 image', magic: [0x51, 0x46, 0x49, 0xfb] },
];

const SMALLEST_SECTOR = 512;

export class ImageDevice extends BlockDevice {
  readonly size: number;

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

  protected override async writeAt(offset: number, from: Uint8Array): Promise<void> {
    throw new CoreError('device.write-failed', { offset, length: from.length });
  }
}

/**
 * Makes sure `source` can be a raw disk image at all.
 * @throws CoreError `image.empty`, `image.container` or `image.not-a-disk`
 */
export async function assertRawImage(source: ByteSource): Promise<void> {
  if (source.size === 0) throw new CoreError('image.empty', { name: source.name });
  if (source.size < SMALLEST_SECTOR) {
    throw new CoreError('image.not-a-disk', { name: source.name, size: source.size });
  }
  const head = new Uint8Array(8);
  await source.read(0, head);
  const container = CONTAINERS.find(({ magic }) => magic.every((b, i) => head[i] === b));
  if (container) throw new CoreError('image.container', { name: source.name, container: container.name });
}
