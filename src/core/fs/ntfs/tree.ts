/** Paths of files from their names and parents, and the entries that a walk gives. */
import type { FileEntry } from '../port';
import { TYPE } from './record';
import type { Mft, NtfsFile, NtfsStream } from './mft';

/** Records of the file system itself. */
const FIRST_USER_RECORD = 24;
const ROOT = 5;
const MAX_DEPTH = 512;
const ATTRIBUTE_WORDS: readonly (readonly [number, string])[] = [
  [0x1, 'read-only'],
  [0x2, 'hidden'],
  [0x4, 'system'],
  [0x20, 'archive'],
  [0x200, 'sparse'],
  [0x400, 'reparse point'],
  [0x800, 'compressed'],
  [0x4000, 'encrypted'],
];

/** An entry with the stream its content comes from. */
export interface NtfsEntry extends FileEntry {
  readonly stream: NtfsStream | undefined;
  readonly record: number;
}

/**
 * Every user file and folder under each of its names, and every named stream as `path:stream`. Files whose parents are
 * gone stand under `(lost)`.
 */
export function entriesOf(mft: Mft): NtfsEntry[] {
  const paths = new FolderPaths(mft);
  const out: NtfsEntry[] = [];
  for (const file of mft.files.values()) {
    if (file.number < FIRST_USER_RECORD || file.names.length === 0) continue;
    for (const { parent, name } of file.names) {
      const folder = paths.of(parent);
      if (folder.startsWith('$Extend')) continue;
      addFile(out, file, folder ? `${folder}/${name}` : name);
    }
  }
  return out;
}

function addFile(out: NtfsEntry[], file: NtfsFile, path: string): void {
  const attributes = ATTRIBUTE_WORDS.filter(([bit]) => file.attributes & bit).map(([, word]) => word);
  const shared = { times: file.times, attributes, record: file.number };
  const data = file.streams.filter((s) => s.type === TYPE.data);
  const unnamed = data.find((s) => s.name === '');
  const kind = file.folder ? ('folder' as const) : ('file' as const);
  out.push({ ...shared, path, kind, size: unnamed?.size ?? 0, id: out.length, stream: unnamed });
  for (const stream of data) {
    if (stream.name === '') continue;
    out.push({ ...shared, path: `${path}:${stream.name}`, kind: 'file', size: stream.size, id: out.length, stream });
  }
}

class FolderPaths {
  readonly #known = new Map<number, string>([[ROOT, '']]);

  constructor(private readonly mft: Mft) {}

  of(number: number): string {
    const chain: NtfsFile[] = [];
    let at = number;
    while (!this.#known.has(at)) {
      const file = this.mft.files.get(at);
      if (!file || file.names.length === 0 || chain.length >= MAX_DEPTH) {
        this.#known.set(at, '(lost)');
        break;
      }
      // A folder that is its own ancestor would go round for ever.
      this.#known.set(at, '(lost)');
      chain.push(file);
      at = file.names[0]!.parent;
    }
    let path = this.#known.get(at)!;
    for (const file of chain.reverse()) {
      path = path ? `${path}/${file.names[0]!.name}` : file.names[0]!.name;
      this.#known.set(file.number, path);
    }
    return this.#known.get(number)!;
  }
}
