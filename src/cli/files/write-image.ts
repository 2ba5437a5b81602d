/** Writing a disk into a file: raw with stretches of zeros left out, or packed where the file's name says so. */
import type { BlockDevice } from '@/core/device';
import {
  exportGzip,
  exportOccupied,
  exportQcow2,
  exportVhd,
  exportVhdx,
  exportZip,
  type ImageStamp,
} from '@/core/image';
import { randomBytes } from 'node:crypto';
import { basename } from 'node:path';
import type { OpenFile } from './files';
import { writeWhole } from './whole';

const HOLE = 64 * 1024;
const ZEROS = Buffer.alloc(HOLE);

/** How a file of this name is packed, or undefined where it is raw. */
export function packingOf(path: string): Packing | undefined {
  const [, kind] = /\.(gz|qcow2|vhd|vhdx|zip)$/i.exec(path) ?? [];
  return kind === undefined ? undefined : PACKINGS[kind.toLowerCase()];
}

type Packing = (disk: BlockDevice, path: string) => AsyncGenerator<Uint8Array>;

const stamp = (): ImageStamp => ({ id: randomBytes(16), seconds: Date.now() / 1000 });

const PACKINGS: Readonly<Record<string, Packing>> = {
  gz: exportGzip,
  qcow2: exportQcow2,
  vhd: (disk) => exportVhd(disk, stamp()),
  vhdx: (disk) => exportVhdx(disk, stamp()),
  zip: (disk, path) => exportZip(disk, basename(path).replace(/(\.img)?\.zip$/i, '.img')),
};

/** Writes a disk raw into a new file, which takes no more room than the content. */
export async function writeRaw(disk: BlockDevice, target: OpenFile): Promise<void> {
  await target.truncate(disk.size);
  for await (const { offset, bytes } of exportOccupied(disk))
    await writeNonZero(target, Buffer.from(bytes.buffer, bytes.byteOffset, bytes.length), offset);
}

/** Writes a disk into a new file, as the name it will have says. */
export async function writeImage(disk: BlockDevice, target: OpenFile, name: string): Promise<void> {
  const packing = packingOf(name);
  if (!packing) return writeRaw(disk, target);
  let offset = 0;
  for await (const bytes of packing(disk, name)) {
    await writeWhole(target, offset, bytes);
    offset += bytes.length;
  }
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
