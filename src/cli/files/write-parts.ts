/** Writing a disk raw into several files, one behind the other. */
import { WindowDevice, type BlockDevice } from '@/core/device';
import { partName } from '@/core/image';
import type { Files } from './files';
import { assertNew, makeFile } from './new-file';
import { writeRaw } from './write-image';

/** Writes the parts of which `first` is the name of the first. @throws CoreError `file.*`; none is left behind then */
export async function writeParts(files: Files, disk: BlockDevice, first: string, partSize: number): Promise<void> {
  const names: string[] = [];
  for (let start = 0; start < disk.size; start += partSize) names.push(partName(first, names.length + 1));
  for (const name of names) await assertNew(files, name);
  const made: string[] = [];
  try {
    for (const [i, name] of names.entries()) {
      const start = i * partSize;
      const part = new WindowDevice(disk, start, Math.min(partSize, disk.size - start));
      await makeFile(files, name, (file) => writeRaw(part, file));
      made.push(name);
    }
  } catch (error) {
    for (const name of made) await files.remove(name).catch(() => undefined);
    throw error;
  }
}
