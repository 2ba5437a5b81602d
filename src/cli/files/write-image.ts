/** Writing a disk into a file: raw with stretches of zeros left out, or packed where the file's name says so. */
import type { BlockDevice } from '@/core/device';
import {
  assertSavedAs,
  assertUnpacksTo,
  exportGzip,
  exportOccupied,
  exportQcow2,
  exportVhd,
  exportVhdx,
  exportZip,
  gunzip,
  ImageDevice,
  unzip,
  type ByteSource,
  type ImageStamp,
  type Unpacker,
} from '@/core/image';
import { openImageDevice } from '@/core/session';
import { randomBytes } from 'node:crypto';
import { basename } from 'node:path';
import type { OpenFile } from './files';
import { readWhole, writeWhole } from './whole';

const HOLE = 64 * 1024;
const ZEROS = Buffer.alloc(HOLE);

/** How a file of this name is packed, or undefined where it is raw. */
export function packingOf(path: string): Packing | undefined {
  const [, kind] = /\.(gz|qcow2|vhd|vhdx|zip)$/i.exec(path) ?? [];
  return kind === undefined ? undefined : PACKINGS[kind.toLowerCase()];
}

interface Packing {
  readonly pack: (disk: BlockDevice, path: string) => AsyncGenerator<Uint8Array>;
  /** Of a form that is read from its start only; others are read at any place. */
  readonly unpacker?: Unpacker;
}

const stamp = (): ImageStamp => ({ id: randomBytes(16), seconds: Date.now() / 1000 });

const PACKINGS: Readonly<Record<string, Packing>> = {
  gz: { pack: exportGzip, unpacker: gunzip },
  qcow2: { pack: exportQcow2 },
  vhd: { pack: (disk) => exportVhd(disk, stamp()) },
  vhdx: { pack: (disk) => exportVhdx(disk, stamp()) },
  zip: { pack: (disk, path) => exportZip(disk, basename(path).replace(/(\.img)?\.zip$/i, '.img')), unpacker: unzip },
};

/** Writes a disk raw into a new file, which takes no more room than the content. */
export async function writeRaw(disk: BlockDevice, target: OpenFile): Promise<void> {
  await target.truncate(disk.size);
  for await (const { offset, bytes } of exportOccupied(disk))
    await writeNonZero(target, Buffer.from(bytes.buffer, bytes.byteOffset, bytes.length), offset);
}

/**
 * Writes a disk into a new file, as the name it will have says, and reads it back.
 * @throws CoreError `image.not-as-saved`, `file.*`
 */
export async function writeImage(disk: BlockDevice, target: OpenFile, name: string): Promise<void> {
  const packing = packingOf(name);
  if (packing) await writePacked(packing.pack(disk, name), target);
  else await writeRaw(disk, target);
  const source = await sourceOf(target, basename(name));
  if (packing?.unpacker) return assertUnpacksTo(disk, source, packing.unpacker);
  const { sectorSize } = disk;
  const saved = packing
    ? (await openImageDevice(source, { sectorSize })).device
    : // What was left out of a new file is zeros.
      new ImageDevice({ ...source, occupied: () => disk.occupied() }, sectorSize);
  await assertSavedAs(disk, saved, source.name);
}

async function writePacked(packed: AsyncIterable<Uint8Array>, target: OpenFile): Promise<void> {
  let offset = 0;
  for await (const bytes of packed) {
    await writeWhole(target, offset, bytes);
    offset += bytes.length;
  }
}

async function sourceOf(target: OpenFile, name: string): Promise<ByteSource> {
  const { size } = await target.facts();
  const read = async (offset: number, into: Uint8Array): Promise<void> => {
    if ((await readWhole(target, offset, into)) < into.length) throw new RangeError('the file ends before');
  };
  return { name, size, read };
}

async function writeNonZero(target: OpenFile, bytes: Buffer, offset: number): Promise<void> {
  let from = 0;
  for (let at = 0; at < bytes.length; at += HOLE) {
    const end = Math.min(at + HOLE, bytes.length);
    if (!bytes.subarray(at, end).equals(end - at === HOLE ? ZEROS : ZEROS.subarray(0, end - at))) continue;
    if (at > from) await writeWhole(target, offset + from, bytes.subarray(from, at));
    from = end;
  }
  if (from < bytes.length) await writeWhole(target, offset + from, bytes.subarray(from));
}
