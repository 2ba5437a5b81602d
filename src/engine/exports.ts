/** Disks and files on their way out: served through a port, or written into a file that a person picked. */
import type { BlockDevice } from '@/core/device';
import { CoreError } from '@/core/errors';
import {
  assertSavedAs,
  exportGzip,
  exportOccupied,
  exportQcow2,
  exportRaw,
  exportVhd,
  exportVhdx,
  exportZip,
  fingerprintImage,
  ImageDevice,
  sameContent,
  type ImageStamp,
} from '@/core/image';
import { BlobSource, SparseBlobSource } from './blob-source';
import type { OpenDisks } from './open-disks';
import type { ExportListener, ImageFormat } from './protocol';
import { isQuota } from './stores';

const stamp = (): ImageStamp => ({ id: crypto.getRandomValues(new Uint8Array(16)), seconds: Date.now() / 1000 });

export const EXPORTS: Readonly<Record<ImageFormat, (device: BlockDevice) => AsyncGenerator<Uint8Array>>> = {
  raw: exportRaw,
  gz: exportGzip,
  zip: (device) => exportZip(device, 'disk.img'),
  qcow2: exportQcow2,
  vhd: (device) => exportVhd(device, stamp()),
  vhdx: (device) => exportVhdx(device, stamp()),
};

/**
 * Writes a disk, or a part of one, raw into a file, empty stretches skipped, and reads it back. The file is replaced only
 * when all of it is written.
 * @throws CoreError `file.same` when it is a file that an open image is in, `file.full`, `image.not-as-saved`
 */
export async function exportTo(
  disks: OpenDisks,
  device: BlockDevice,
  handle: FileSystemFileHandle,
  progress: ExportListener,
): Promise<void> {
  await assertNoOpenImage(disks, handle);
  const ranges = [...device.occupied()];
  const total = ranges.reduce((sum, r) => sum + (r.end - r.start), 0);
  const writable = await handle.createWritable();
  try {
    await writable.truncate(device.size);
    let done = 0;
    for await (const { offset, bytes } of exportOccupied(device)) {
      await writable.write({ type: 'write', position: offset, data: bytes as Uint8Array<ArrayBuffer> });
      done += bytes.length;
      progress(done, 2 * total);
    }
    await writable.close();
  } catch (error) {
    await writable.abort().catch(() => undefined);
    if (isQuota(error)) throw new CoreError('file.full', { name: handle.name, wanted: total }, error);
    throw error;
  }
  const saved = new ImageDevice(new SparseBlobSource(await handle.getFile(), ranges), device.sectorSize);
  await assertSavedAs(device, saved, handle.name, (bytes) => progress(total + bytes, 2 * total));
}

/** A picker may give the very file that an image is read from, and what is read by reference must not be written over. */
async function assertNoOpenImage(disks: OpenDisks, handle: FileSystemFileHandle): Promise<void> {
  const file = await handle.getFile();
  const known = (of: File) => fingerprintImage(new BlobSource(of), of.lastModified).catch(() => undefined);
  for (const { image, name } of disks.all()) {
    for (const read of image ? [image.file, ...image.parts] : []) {
      if (read.size !== file.size) continue;
      const [found, own] = [await known(file), read === image!.file ? image!.fingerprint : await known(read)];
      // Of one that can't be read any more nobody knows that it is another.
      if (found && (!own || sameContent(found, own)))
        throw new CoreError('file.same', { name: handle.name, other: `the image ${name} is read from` });
    }
  }
}
