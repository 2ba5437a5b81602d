import type { FileEntry } from '@/core/fs';
import type { FolderItem } from '@/engine';

/** The entry without what was summed up for the list. */
export function plain({ path, kind, size, times, attributes, id }: FolderItem): FileEntry {
  return { path, kind, size, times, attributes, id };
}
