/**
 * Room for what packed images unpack to and memory has none for: files of this page's own storage, which no person sees
 * (File System standard, origin private file system). Each goes with the disk it is of; those that a tab left behind go
 * when the bench is opened the next time. A file that another tab has open can't be removed, and isn't.
 */
import type { Spill } from '@/core/image';

const FOLDER = 'unpacked';
/** Kept in memory before. */
const AFTER_BYTES = 64 * 1024 * 1024;

/** Room that is given back when it is closed. */
export interface SpillFile extends Spill {
  close(): Promise<void>;
}

async function folder(): Promise<FileSystemDirectoryHandle | undefined> {
  if (typeof navigator === 'undefined' || !navigator.storage?.getDirectory) return undefined;
  return (await navigator.storage.getDirectory()).getDirectoryHandle(FOLDER, { create: true });
}

/** A new one; nothing where the browser has none, so that what is unpacked has to go into memory. */
export async function makeSpillFile(): Promise<SpillFile | undefined> {
  try {
    const own = await folder();
    const name = crypto.randomUUID();
    if (!own) return undefined;
    const handle = await own.getFileHandle(name, { create: true });
    const access = await handle.createSyncAccessHandle();
    const whole = (done: number, wanted: number): void => {
      if (done < wanted) throw new RangeError(`${done} of ${wanted} bytes`);
    };
    return {
      after: AFTER_BYTES,
      write: async (at, from) => whole(access.write(from, { at }), from.length),
      read: async (at, into) => whole(access.read(into, { at }), into.length),
      close: async () => {
        access.close();
        await own.removeEntry(name);
      },
    };
  } catch {
    return undefined;
  }
}

/** Takes away what tabs have left that are no more. */
export async function dropSpilled(): Promise<void> {
  try {
    const own = await folder();
    if (!own) return;
    const names: string[] = [];
    for await (const name of (own as unknown as { keys(): AsyncIterable<string> }).keys()) names.push(name);
    for (const name of names) await own.removeEntry(name).catch(() => undefined);
  } catch {
    // What can't be looked at stays, and is tried again the next time.
  }
}
