/** A file's content in chunks, as it is read. */
import type { BlockDevice } from '@/core/device';
import type { FileEntry, Volume } from '@/core/fs';

const READ_CHUNK = 4 * 1024 * 1024;

/** @param window the device that the volume lies on */
export async function* fileChunks(volume: Volume, window: BlockDevice, entry: FileEntry): AsyncGenerator<Uint8Array> {
  for await (const run of volume.content(entry)) {
    if (run.kind === 'bytes') {
      yield run.bytes;
      continue;
    }
    for (let done = 0; done < run.length; done += READ_CHUNK) {
      const length = Math.min(READ_CHUNK, run.length - done);
      yield run.kind === 'at' ? await window.bytes(run.offset + done, length) : new Uint8Array(length);
    }
  }
}
