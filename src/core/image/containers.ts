/**
 * Whatever file an image comes in, as the bytes of the disk in it. Compressed files are unpacked once, as a stream, into
 * chunks of which those of zeros are not kept; the image of a virtual disk is read where it is.
 */
import { CoreError } from '@/core/errors';
import { gunzip } from './gzip';
import type { ByteSource } from './image-device';
import { isFirstPart, openParts } from './parts';
import { openQcow2 } from './qcow2';
import { unpack, type Unpacker, type UnpackOptions } from './unpack';
import { unxz } from './xz';
import { isFixedVhd, openVhd } from './vhd';
import { openVhdx } from './vhdx';
import { isVmdkDescriptor, openVmdk, openVmdkDescriptor, type OpenBeside } from './vmdk';
import { unzip } from './zip';

/**
 * Magic numbers: gzip RFC 1952 §2.3.1, ZIP APPNOTE 4.3.7 and 4.3.16, .xz format 1.1 §2.1.1.1, qcow2 header, VHD footer (of
 * a dynamic one), VHDX §2.2.1, VMDK sparse extent header.
 */
const MAGIC = [
  ['gzip', [0x1f, 0x8b]],
  ['zip', [0x50, 0x4b, 0x03, 0x04]],
  ['zip', [0x50, 0x4b, 0x05, 0x06]],
  ['xz', [0xfd, 0x37, 0x7a, 0x58, 0x5a, 0x00]],
  ['qcow2', [0x51, 0x46, 0x49, 0xfb]],
  ['vhd', [0x63, 0x6f, 0x6e, 0x65, 0x63, 0x74, 0x69, 0x78]],
  ['vhdx', [0x76, 0x68, 0x64, 0x78, 0x66, 0x69, 0x6c, 0x65]],
  ['vmdk', [0x4b, 0x44, 0x4d, 0x56]],
] as const;

export type Container = (typeof MAGIC)[number][0];

type Packed = 'gzip' | 'zip' | 'xz';
type Mapped = Exclude<Container, Packed>;

const UNPACKERS: Readonly<Record<Packed, Unpacker>> = { gzip: gunzip, zip: unzip, xz: unxz };
/** Images of virtual disks, which are read where they are. */
const OPENERS: Readonly<Record<Mapped, (source: ByteSource) => Promise<ByteSource>>> = {
  qcow2: openQcow2,
  vhd: openVhd,
  vhdx: openVhdx,
  vmdk: openVmdk,
};

const isPacked = (container: Container): container is Packed => container in UNPACKERS;

/** How a file is opened, and the files that stand beside it where there is a way to them. */
export interface ContainerOptions extends UnpackOptions {
  /** Opens a file beside the image by its plain name; undefined where there is none. */
  readonly beside?: (name: string) => Promise<ByteSource | undefined>;
}

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
export async function openContainer(file: ByteSource, options: ContainerOptions = {}): Promise<ByteSource> {
  const { name, size } = file;
  const { beside } = options;
  if (size === 0) throw new CoreError('image.empty', { name });
  const source = beside && isFirstPart(name) ? await openParts(file, beside) : file;
  const container = await containerOf(source);
  if (container)
    return isPacked(container) ? unpack(source, UNPACKERS[container], options) : OPENERS[container](source);
  if (await isVmdkDescriptor(source)) return openVmdkDescriptor(source, beside && wanted(beside));
  if (size < LEAST_BYTES) throw new CoreError('image.too-short', { name, size });
  return (await isFixedVhd(source)) ? openVhd(source) : source;
}

const wanted =
  (beside: NonNullable<ContainerOptions['beside']>): OpenBeside =>
  async (name) => {
    const found = await beside(name);
    if (!found) throw new CoreError('file.missing', { name });
    return found;
  };
