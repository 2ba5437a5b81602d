/** Writing a disk raw into several files, one behind the other. */
import { WindowDevice, type BlockDevice } from '@/core/device';
import { cutIntoParts, partName } from '@/core/image';
import type { Files } from './files';
import { assertNew, makeFile } from './new-file';
import { writeImage } from './write-image';

/**
 * Writes the parts of which `first` is the name of the first, each read back.
 * @throws CoreError `image.parts`, `image.not-as-saved`, `file.*`; none is left behind then
 */
export async function writeParts(files: Files, disk: BlockDevice, first: string, length: number): Promise<void> {
  const parts = cutIntoParts(disk, length).map((part, i) => ({ ...part, name: partName(first, i + 1) }));
  for (const { name } of parts) await assertNew(files, name);
  const made: string[] = [];
  try {
    for (const { start, end, name } of parts) {
      const part = new WindowDevice(disk, start, end - start);
      await makeFile(files, name, (file) => writeImage(part, file, name));
      made.push(name);
    }
  } catch (error) {
    for (const name of made) await files.remove(name).catch(() => undefined);
    throw error;
  }
}
