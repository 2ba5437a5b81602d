/**
 * New files. What is being made has a fresh name until it is whole and durable, and only then the name it was asked for,
 * which nothing may have: nobody ever sees half of it under that name, and nothing is written over.
 */
import { CoreError, isCoreError } from '@/core/errors';
import { randomBytes } from 'node:crypto';
import { basename, dirname } from 'node:path';
import type { FileFacts, Files, OpenFile } from './files';
import { writeWhole } from './whole';

/** @throws CoreError `file.same` when two names lead to the same file */
export async function assertApart(files: Files, path: string, from: string): Promise<void> {
  const found = await files.facts(path);
  if (found && (await files.facts(from))?.identity === found.identity)
    throw new CoreError('file.same', { name: path, other: from });
}

/** @throws CoreError `file.exists` when anything has the name */
export async function assertNew(files: Files, path: string): Promise<void> {
  if (await files.facts(path)) throw new CoreError('file.exists', { name: path });
}

/** A fresh file beside `path`. */
export function createBeside(files: Files, path: string): Promise<OpenFile> {
  return files.open(`${path}.${randomBytes(6).toString('hex')}.part`, 'create');
}

/**
 * Gives a whole, durable file its name.
 * @throws CoreError `file.exists` when something has that name by now; the file then still has the one it had
 */
export async function publish(files: Files, from: string, to: string): Promise<void> {
  try {
    await files.link(from, to);
  } catch (error) {
    if (!isCoreError(error, 'file.failed')) throw error;
    // A storage without second names: the name is taken by a file of ours first, which is then replaced.
    await (await files.open(to, 'create')).close();
    await files.rename(from, to);
    return files.syncFolder(dirname(to));
  }
  await files.syncFolder(dirname(to));
  await files.remove(from);
}

/**
 * Makes a file by what `write` puts into it. `whole` is awaited when that is durable and has no name yet.
 * @throws CoreError `file.*`; nothing is left behind then
 */
export async function makeFile(
  files: Files,
  path: string,
  write: (file: OpenFile) => Promise<void>,
  whole: (facts: FileFacts) => Promise<void> = async () => undefined,
): Promise<void> {
  const file = await createBeside(files, path);
  try {
    await write(file);
    await file.sync();
    await whole(await file.facts());
    await file.close();
    await publish(files, file.path, path);
  } catch (error) {
    await file.close().catch(() => undefined);
    await files.remove(file.path).catch(() => undefined);
    throw error;
  }
}

/** Makes a file of bytes that are at hand. @throws what {@link makeFile} throws */
export const makeBytes = (files: Files, path: string, bytes: Uint8Array): Promise<void> =>
  makeFile(files, path, (file) => writeWhole(file, 0, bytes));

/** Makes a file of text, in UTF-8, from one piece after the other. @throws what {@link makeFile} throws */
export const makeText = (files: Files, path: string, text: string | Iterable<string>): Promise<void> =>
  makeFile(files, path, async (file) => {
    let at = 0;
    for (const piece of typeof text === 'string' ? [text] : text) {
      const bytes = new TextEncoder().encode(piece);
      await writeWhole(file, at, bytes);
      at += bytes.length;
    }
  });

/** What a file is called in sentences. */
export const nameOfFile = (path: string): string => basename(path);
