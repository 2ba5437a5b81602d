/** Paths of files from their names and parents, and the entries that a walk gives. */
import type { FileEntry, FileTimes } from '../port';
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

/** An entry with the stream its content comes from. Its times are written out when they are asked for. */
export class NtfsEntry implements FileEntry {
  constructor(
    readonly path: string,
    readonly kind: 'file' | 'folder',
    readonly size: number,
    readonly attributes: readonly string[],
    readonly id: number,
    readonly stream: NtfsStream | undefined,
    private readonly file: NtfsFile,
  ) {}

  get times(): FileTimes {
    return this.file.times;
  }
}

/**
 * Every user file and folder under each of its names, and every named stream as `path:stream`. Files whose parents are
 * gone stand under `(lost)`.
 */
export function entriesOf(mft: Mft): NtfsEntry[] {
  const paths = new FolderPaths(mft);
  const out: NtfsEntry[] = [];
  for (const file of mft.files.values()) {
    if (file.number < FIRST_USER_RECORD || file.parent < 0) continue;
    if (!file.hasMoreNames) addNamed(out, file, paths.of(file.parent), file.name);
    else for (const { parent, name } of file.names) addNamed(out, file, paths.of(parent), name);
  }
  return out;
}

function isContent(stream: NtfsStream): boolean {
  return stream.type === TYPE.data && stream.name === '';
}

function addNamed(out: NtfsEntry[], file: NtfsFile, folder: string, name: string): void {
  if (!folder.startsWith('$Extend')) addFile(out, file, folder ? `${folder}/${name}` : name);
}

function addFile(out: NtfsEntry[], file: NtfsFile, path: string): void {
  const attributes = wordsFor(file.attributes);
  const only = file.onlyStream;
  const streams = only ? undefined : file.streams;
  const unnamed = only ? (isContent(only) ? only : undefined) : streams!.find(isContent);
  out.push(
    new NtfsEntry(path, file.folder ? 'folder' : 'file', unnamed?.size ?? 0, attributes, out.length, unnamed, file),
  );
  for (const stream of streams ?? [only!]) {
    if (stream.type !== TYPE.data || stream.name === '') continue;
    out.push(new NtfsEntry(`${path}:${stream.name}`, 'file', stream.size, attributes, out.length, stream, file));
  }
}

/** Few combinations are in use, and every file has one. */
const KNOWN_WORDS = new Map<number, readonly string[]>();

function wordsFor(bits: number): readonly string[] {
  const known = KNOWN_WORDS.get(bits);
  if (known) return known;
  const words = ATTRIBUTE_WORDS.filter(([bit]) => bits & bit).map(([, word]) => word);
  if (KNOWN_WORDS.size < 1000) KNOWN_WORDS.set(bits, words);
  return words;
}

class FolderPaths {
  readonly #known = new Map<number, string>([[ROOT, '']]);

  constructor(private readonly mft: Mft) {}

  of(number: number): string {
    const known = this.#known.get(number);
    if (known !== undefined) return known;
    const chain: NtfsFile[] = [];
    let at = number;
    while (!this.#known.has(at)) {
      const file = this.mft.files.get(at);
      if (!file || file.parent < 0 || chain.length >= MAX_DEPTH) {
        this.#known.set(at, '(lost)');
        break;
      }
      // A folder that is its own ancestor would go round for ever.
      this.#known.set(at, '(lost)');
      chain.push(file);
      at = file.parent;
    }
    let path = this.#known.get(at)!;
    for (const file of chain.reverse()) {
      path = path ? `${path}/${file.name}` : file.name;
      this.#known.set(file.number, path);
    }
    return this.#known.get(number)!;
  }
}
