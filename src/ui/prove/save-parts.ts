/** A disk in parts, into a folder that was picked. */
import { CoreError } from '@/core/errors';
import { engine, listener } from '@/engine';

interface Part {
  readonly name: string;
  readonly start: number;
  readonly end: number;
}

/**
 * Saves one part behind the other, each read back.
 * @param went told how far all of it is, 0 to 1
 * @throws CoreError `file.exists`, and whatever saving throws; none is left behind then
 */
export async function saveParts(
  id: string,
  folder: FileSystemDirectoryHandle,
  parts: readonly Part[],
  went: (share: number) => void,
): Promise<void> {
  for (const { name } of parts) await assertNotThere(folder, name);
  const made: string[] = [];
  try {
    for (const [i, { name, start, end }] of parts.entries()) {
      // Others may have been at work there meanwhile.
      await assertNotThere(folder, name);
      made.push(name);
      const progress = listener((done: number, total: number) =>
        went((i + (total > 0 ? done / total : 1)) / parts.length),
      );
      await engine('exportTo', id, await folder.getFileHandle(name, { create: true }), progress, { start, end });
    }
  } catch (error) {
    // Some parts are no disk.
    for (const name of made) await folder.removeEntry(name).catch(() => undefined);
    throw error;
  }
}

/** What is in a folder already is left as it is. */
async function assertNotThere(folder: FileSystemDirectoryHandle, name: string): Promise<void> {
  const there = await folder.getFileHandle(name).then(
    () => true,
    (error: Error) => error.name !== 'NotFoundError',
  );
  if (there) throw new CoreError('file.exists', { name });
}
