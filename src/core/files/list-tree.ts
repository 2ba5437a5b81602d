/** A folder of a volume with everything in it, in an order in which each folder comes before what is in it. */
import { crc32 } from '@/core/bytes';
import { CoreError } from '@/core/errors';
import type { FileEntry, Volume } from '@/core/fs';
import { entriesOf, removedWith, type Part } from './part';

/** A folder, or everything on a volume, as it is listed. */
export interface Tree {
  /** The folder itself first, if it is one; streams behind what they belong to. */
  readonly entries: readonly FileEntry[];
  readonly folder: string;
  /** What of it goes, where not all does; entries are those and the folders above. */
  readonly part?: Part | undefined;
}

/** @throws CoreError `fs.not-found` where there is no such folder */
export async function listTree(volume: Volume, folder: string): Promise<Tree> {
  const entries: FileEntry[] = [];
  const below = `${folder}/`;
  const beside = `${folder}:`;
  for await (const entry of volume.walk()) {
    const { path, stream } = entry;
    const own = path === folder || path.startsWith(below) || (stream !== undefined && path.startsWith(beside));
    if (folder === '' || own) entries.push(entry);
  }
  sortByPath(entries);
  const root = folder === '' ? undefined : entries.find((e) => e.path === folder);
  if (folder !== '' && root?.kind !== 'folder') throw new CoreError('fs.not-found', { path: folder });
  return { entries, folder };
}

/** A folder comes before everything that begins with its name and a slash, which stands before all letters. */
export function sortByPath(entries: FileEntry[]): void {
  entries.sort((a, b) => (a.path < b.path ? -1 : a.path > b.path ? 1 : 0));
}

/** A part of a tree. */
export const partOfTree = (tree: Tree, part: Part | undefined): Tree =>
  part ? { ...tree, entries: entriesOf(tree.entries, part), part } : tree;

/** What is removed, each with everything in it, so that a folder, all of a volume, or a part of either is gone from it. */
export async function removedOf(volume: Volume, folder: string, part: Part | undefined): Promise<string[]> {
  if (folder !== '' && part?.until === undefined) return [folder];
  const { entries } = await listTree(volume, folder);
  if (part?.until !== undefined) return removedWith(entries, part.until);
  return entries.flatMap(({ path, stream }) => (path.includes('/') || stream !== undefined ? [] : [path]));
}

/** By what a listing is known again: paths and kinds of all there is, and sizes of files. */
export function listingOf({ entries }: Tree): number {
  const text = new TextEncoder();
  let sum = 0;
  for (const { path, kind, size } of entries)
    sum = crc32(text.encode(JSON.stringify([sum, path, kind, kind === 'folder' ? 0 : size])));
  return sum;
}
