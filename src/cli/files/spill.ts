/** Room for what a packed image unpacks to and memory has none for: a file that has no name any more once it is open. */
import type { Spill } from '@/core/image';
import { randomUUID } from 'node:crypto';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { readExactly } from './file-device';
import type { Files } from './files';
import { writeWhole } from './whole';

/** Kept in memory before: most images of sticks and cards are no more. */
const AFTER_BYTES = 256 * 1024 * 1024;

/** Such a file, in the system's folder for what is there for a while. The caller closes it. @throws CoreError `file.*` */
export async function makeSpill(files: Files, after = AFTER_BYTES): Promise<Spill & { close(): Promise<void> }> {
  const file = await files.open(join(tmpdir(), `ullager-${randomUUID()}.unpacked`), 'create');
  // It goes with this process, however that ends. A system that keeps names of open files has it removed after.
  const unnamed = await files.remove(file.path).then(
    () => true,
    () => false,
  );
  return {
    after,
    write: (offset, from) => writeWhole(file, offset, from),
    read: (offset, into) => readExactly(file, offset, into),
    close: async () => {
      await file.close();
      if (!unnamed) await files.remove(file.path);
    },
  };
}
