/** Copying an image file whole, leaving out stretches of zeros so that the copy takes no more room than its content. */
import type { BlockDevice } from '@/core/device';
import { exportGzip, exportOccupied, exportQcow2 } from '@/core/image';
import { open, rename, type FileHandle } from 'node:fs/promises';

const CHUNK = 4 * 1024 * 1024;
const HOLE = 64 * 1024;
const ZEROS = Buffer.alloc(HOLE);

/** Copies `from` to `to`, which appears only once it is whole. */
export async function copyImage(from: string, to: string): Promise<void> {
  const part = `${to}.part`;
  const source = await open(from, 'r');
  const target = await open(part, 'w');
  try {
    const { size } = await source.stat();
    await target.truncate(size);
    const buffer = Buffer.alloc(CHUNK);
    for (let offset = 0; offset < size;) {
      const { bytesRead } = await source.read(buffer, 0, CHUNK, offset);
      if (bytesRead === 0) break;
      await writeNonZero(target, buffer.subarray(0, bytesRead), offset);
      offset += bytesRead;
    }
    await target.datasync();
  } finally {
    await source.close();
    await target.close();
  }
  await rename(part, to);
}

/** Writes the stretches that are not zeros. */
async function writeNonZero(target: FileHandle, bytes: Buffer, offset: number): Promise<void> {
  let from = 0;
  for (let at = 0; at < bytes.length; at += HOLE) {
    const end = Math.min(at + HOLE, bytes.length);
    if (!bytes.subarray(at, end).equals(end - at === HOLE ? ZEROS : ZEROS.subarray(0, end - at))) continue;
    if (at > from) await target.write(bytes, from, at - from, offset + from);
    from = end;
  }
  if (from < bytes.length) await target.write(bytes, from, bytes.length - from, offset + from);
}

/** Writes a disk to a new image file, which appears only once it is whole: packed where its name says so. */
export async function writeOut(disk: BlockDevice, to: string): Promise<void> {
  const part = `${to}.part`;
  const target = await open(part, 'w');
  try {
    const packed = /\.gz$/i.test(to) ? exportGzip : /\.qcow2$/i.test(to) ? exportQcow2 : undefined;
    if (packed) for await (const bytes of packed(disk)) await target.write(bytes);
    else {
      await target.truncate(disk.size);
      for await (const { offset, bytes } of exportOccupied(disk))
        await writeNonZero(target, Buffer.from(bytes.buffer, bytes.byteOffset, bytes.length), offset);
    }
    await target.datasync();
  } finally {
    await target.close();
  }
  await rename(part, to);
}
