/**
 * Whatever file an image comes in, as the bytes of the disk in it. Compressed files are unpacked once, as a stream, into
 * chunks of which those of zeros are not kept; a qcow2 image is read where it is.
 */
import { CoreError } from '@/core/errors';
import { gunzip } from './gzip';
import type { ByteSource } from './image-device';
import { openQcow2 } from './qcow2';
import { unpack, type Unpacker, type UnpackOptions } from './unpack';
import { unxz } from './xz';
import { unzip } from './zip';

/** Magic numbers: gzip RFC 1952 §2.3.1, ZIP APPNOTE 4.3.7 and 4.3.16, .xz format 1.1 §2.1.1.1, qcow2 header. */
const MAGIC = [
  ['gzip', [0x1f, 0x8b]],
  ['zip', [0x50, 0x4b, 0x03, 0x04]],
  ['zip', [0x50, 0x4b, 0x05, 0x06]],
  ['xz', [0xfd, 0x37, 0x7a, 0x58, 0x5a, 0x00]],
  ['qcow2', [0x51, 0x46, 0x49, 0xfb]],
] as const;

export type Container = (typeof MAGIC)[number][0];

const UNPACKERS: Readonly<Record<Exclude<Container, 'qcow2'>, Unpacker>> = { gzip: gunzip, zip: unzip, xz: unxz };

const LEAST_BYTES = 512;

/** The container a file is by its first bytes, or undefined for a raw image. */
export async function containerOf(source: ByteSource): Promise<Container | undefined> {
  const head = new Uint8Array(Math.min(8, source.size));
  await source.read(0, head);
  return MAGIC.find(([, magic]) => magic.every((byte, i) => head[i] === byte))?.[0];
}

/**
 * The disk's bytes in a file of any known kind. A raw image is the file itself.
 * @throws CoreError `image.empty`, `image.too-short`, `image.container`, `image.several`, `image.too-large` or
 *   `image.not-a-disk`; the signal's reason when aborted
 */
export async function openContainer(source: ByteSource, options: UnpackOptions = {}): Promise<ByteSource> {
  const { name, size } = source;
  if (size === 0) throw new CoreError('image.empty', { name });
  const container = await containerOf(source);
  if (!container) {
    if (size < LEAST_BYTES) throw new CoreError('image.too-short', { name, size });
    return source;
  }
  return container === 'qcow2' ? openQcow2(source) : unpack(source, UNPACKERS[container], options);
}
