/** A volume's files by folder, for browsing. */
import type { FileEntry, Volume } from '@/core/fs';
import type { FolderItem } from './protocol';

interface Totals {
  bytes: number;
  files: number;
}

export class FolderIndex {
  readonly #children = new Map<string, FileEntry[]>();
  readonly #totals = new Map<string, Totals>();

  static async of(volume: Volume): Promise<FolderIndex> {
    const index = new FolderIndex();
    for await (const entry of volume.walk()) index.#add(entry);
    return index;
  }

  #add(entry: FileEntry): void {
    const parent = parentOf(entry.path);
    const siblings = this.#children.get(parent);
    if (siblings) siblings.push(entry);
    else this.#children.set(parent, [entry]);
    if (entry.kind === 'folder') return;
    for (let path = parent; ; path = parentOf(path)) {
      const totals = this.#totals.get(path) ?? { bytes: 0, files: 0 };
      this.#totals.set(path, { bytes: totals.bytes + entry.size, files: totals.files + 1 });
      if (path === '') break;
    }
  }

  /** Folders first, largest first. */
  list(path: string): FolderItem[] {
    const items = (this.#children.get(path) ?? []).map((entry): FolderItem => {
      const totals =
        entry.kind === 'folder'
          ? (this.#totals.get(entry.path) ?? { bytes: 0, files: 0 })
          : { bytes: entry.size, files: 1 };
      return {
        path: entry.path,
        kind: entry.kind,
        size: entry.size,
        times: entry.times,
        attributes: entry.attributes,
        id: entry.id,
        name: entry.path.slice(entry.path.lastIndexOf('/') + 1),
        totalBytes: totals.bytes,
        totalFiles: totals.files,
      };
    });
    return items.sort((a, b) => (a.kind === b.kind ? b.totalBytes - a.totalBytes : a.kind === 'folder' ? -1 : 1));
  }
}

function parentOf(path: string): string {
  const cut = path.lastIndexOf('/');
  return cut < 0 ? '' : path.slice(0, cut);
}
