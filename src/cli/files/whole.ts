/** Reading and writing whole buffers: the one way in which the runner reads and writes any file. */
import { CoreError } from '@/core/errors';
import type { OpenFile } from './files';

/** Writes all of `from`. @throws CoreError `file.full` when the storage takes no more, `file.failed` */
export async function writeWhole(file: OpenFile, offset: number, from: Uint8Array): Promise<void> {
  for (let done = 0; done < from.length;) {
    const taken = await file.write(offset + done, from.subarray(done));
    if (taken <= 0) throw new CoreError('file.full', { name: file.path, wanted: from.length - done });
    done += taken;
  }
}

/** Fills `into`, and says how much there was; less than wanted only at the end of the file. */
export async function readWhole(file: OpenFile, offset: number, into: Uint8Array): Promise<number> {
  let done = 0;
  while (done < into.length) {
    const read = await file.read(offset + done, into.subarray(done));
    if (read <= 0) break;
    done += read;
  }
  return done;
}
