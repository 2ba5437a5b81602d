/** A volume's files by folder, for browsing. */
import type { FileEntry, Volume } from '@/core/fs';
import type { Found, FolderItem, Notable, RoomItem } from './protocol';

/** Most that is shown of what was found, and of the largest and the oldest. */
const MOST_FOUND = 200;
const MOST_NOTABLE = 50;
/** Most parts of a picture of a folder, and of each folder in it; what is smaller is one part together. */
const MOST_PARTS = 24;
const MOST_INNER = 8;

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
    const items = (this.#children.get(path) ?? []).map((entry) => this.#item(entry));
    return items.sort((a, b) => (a.kind === b.kind ? b.totalBytes - a.totalBytes : a.kind === 'folder' ? -1 : 1));
  }

  /** Everything below a folder whose name has a text in it, in any case; names that begin with it first. */
  find(path: string, text: string): Found {
    const low = text.trim().toLowerCase();
    const found: { readonly entry: FileEntry; readonly at: number }[] = [];
    if (low !== '')
      for (const entry of this.#below(path)) {
        const at = nameOf(entry.path).toLowerCase().indexOf(low);
        if (at >= 0) found.push({ entry, at });
      }
    found.sort((a, b) => Number(a.at > 0) - Number(b.at > 0) || b.entry.size - a.entry.size);
    return { total: found.length, items: found.slice(0, MOST_FOUND).map(({ entry }) => this.#item(entry)) };
  }

  /** The largest files below a folder, and those that were not changed for longest. */
  notable(path: string): Notable {
    // Times are put into words each time they are asked for.
    const files: { readonly entry: FileEntry; readonly changed: string | undefined }[] = [];
    for (const entry of this.#below(path))
      if (entry.kind === 'file') files.push({ entry, changed: entry.times.modified });
    type Found = (typeof files)[number];
    const first = (by: (a: Found, b: Found) => number, of: Found[]): FolderItem[] =>
      [...of]
        .sort(by)
        .slice(0, MOST_NOTABLE)
        .map(({ entry }) => this.#item(entry));
    const bySize = (a: Found, b: Found): number => b.entry.size - a.entry.size;
    const byAge = (a: Found, b: Found): number =>
      a.changed! < b.changed! ? -1 : a.changed! > b.changed! ? 1 : bySize(a, b);
    const dated = files.filter((f) => f.changed !== undefined);
    return { biggest: first(bySize, files), oldest: first(byAge, dated) };
  }

  /** What takes the room of a folder, two levels deep. */
  room(path: string): RoomItem[] {
    return this.#parts(path, MOST_PARTS).map((part) =>
      part.kind === 'folder' ? { ...part, inside: this.#parts(part.path, MOST_INNER) } : part,
    );
  }

  #parts(path: string, most: number): RoomItem[] {
    const all = this.list(path)
      .map(({ path: own, name, kind, totalBytes: bytes, totalFiles: files }): RoomItem => {
        return { path: own, name, kind: kind === 'folder' ? 'folder' : 'file', bytes, files };
      })
      .filter((part) => part.bytes > 0)
      .sort((a, b) => b.bytes - a.bytes);
    const rest = all.slice(most);
    if (rest.length === 0) return all;
    const sum = (of: 'bytes' | 'files'): number => rest.reduce((n, part) => n + part[of], 0);
    const name = `${rest.length} smaller`;
    return [...all.slice(0, most), { path, name, kind: 'rest', bytes: sum('bytes'), files: sum('files') }];
  }

  *#below(path: string): Generator<FileEntry> {
    const open = [path];
    for (let next = open.pop(); next !== undefined; next = open.pop()) {
      for (const entry of this.#children.get(next) ?? []) {
        yield entry;
        if (entry.kind === 'folder') open.push(entry.path);
      }
    }
  }

  #item(entry: FileEntry): FolderItem {
    const { path, kind, size, times, attributes, id } = entry;
    const totals = kind === 'folder' ? (this.#totals.get(path) ?? { bytes: 0, files: 0 }) : { bytes: size, files: 1 };
    const sums = { totalBytes: totals.bytes, totalFiles: totals.files };
    return { path, kind, size, times, attributes, id, name: nameOf(path), ...sums };
  }
}

const nameOf = (path: string): string => path.slice(path.lastIndexOf('/') + 1);

function parentOf(path: string): string {
  const cut = path.lastIndexOf('/');
  return cut < 0 ? '' : path.slice(0, cut);
}
