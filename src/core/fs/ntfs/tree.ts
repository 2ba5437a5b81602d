/** Paths of files from their names and parents, and the entries that a walk gives. */
import type { EntryKind, FileEntry, FileTimes } from '../entry';
import type { NtfsFile, NtfsStream } from './file';
import { Glance } from './file-table';
import type { Mft } from './mft';
import { TYPE } from './record';

/** Records of the file system itself. */
const FIRST_USER_RECORD = 24;
const ROOT = 5;
const MAX_DEPTH = 512;
/** Units of a name at most. */
const MAX_NAME = 255;
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

const REPARSE = 0x400;
/** In the kind of a reparse point: it stands for another place. */
const SURROGATE = 0x20000000;

/** What is stored of where a file leads, if it leads to another place. */
export function linkOf({ attributes, streams }: NtfsFile): Uint8Array | undefined {
  const value = attributes & REPARSE ? streams.find((s) => s.type === TYPE.reparsePoint)?.value : undefined;
  if (!value || value.length < 8) return undefined;
  return new DataView(value.buffer, value.byteOffset, 4).getUint32(0, true) & SURROGATE ? value : undefined;
}

/** The extended system files, which belong to the file system as those with low numbers do. */
const EXTENDED = '$Extend';
/** An id is the number of a file times this, and {@link CONTENT} or 1 + the place of a stream among all of the file. */
const STREAMS = 2 ** 20;
const CONTENT = 0;

/** Files whose names are made into text at once, and the bytes there is room for: most names are far shorter. */
const BATCH = 1024;
const BATCH_BYTES = 64 * 1024;

/** An entry of a walk. What few ask for is made when it is asked for. */
class NtfsEntry implements FileEntry {
  constructor(
    public path: string,
    readonly kind: EntryKind,
    readonly size: number,
    private readonly bits: number,
    private readonly files: Mft['files'],
    private readonly number: number,
    private readonly which: number,
    readonly stream?: string,
  ) {}

  get id(): number {
    return this.number * STREAMS + this.which;
  }

  get attributes(): readonly string[] {
    return wordsFor(this.bits);
  }

  get times(): FileTimes {
    return this.files.get(this.number)?.times ?? {};
  }
}

/** The file that an entry is of, and the stream its content comes from if it has one. */
export function behindEntry(mft: Mft, id: number): { file: NtfsFile; stream: NtfsStream | undefined } | undefined {
  const file = mft.files.get(Math.floor(id / STREAMS));
  const which = id % STREAMS;
  return file && { file, stream: which === CONTENT ? file.streams.find(isContent) : file.streams[which - 1] };
}

/**
 * Every user file and folder under each of its names, and every named stream as `path:stream`, in batches. Files whose
 * parents are gone stand under `(lost)`.
 */
export function* entriesOf(mft: Mft): Generator<FileEntry[]> {
  const paths = new FolderPaths(mft);
  const glance = new Glance();
  const batch = new Batch(mft, paths);
  for (let number = FIRST_USER_RECORD; number < mft.records; number++) {
    const seen = mft.files.glance(number, glance);
    if (seen === 'more' || (seen && glance.attributes & REPARSE)) batch.addFile(mft.files.get(number)!);
    else if (seen) batch.add(number, glance);
    if (batch.isFull) yield batch.take();
  }
  yield batch.take();
}

/**
 * Entries whose names wait to be made into text together. To call for each would take longer than all else that is done
 * for it; names beyond ASCII, whose pairs of bytes may be no text at all, are made one by one.
 */
class Batch {
  #entries: NtfsEntry[] = [];
  readonly #parents: number[] = [];
  /** Where the name of each ends among the bytes of all; -1 for one that has its path. */
  readonly #ends: number[] = [];
  readonly #bytes = new Uint8Array(BATCH_BYTES);
  readonly #decoder = new TextDecoder();
  #used = 0;

  constructor(
    private readonly mft: Mft,
    private readonly paths: FolderPaths,
  ) {}

  get isFull(): boolean {
    return this.#entries.length >= BATCH || this.#used + MAX_NAME > BATCH_BYTES;
  }

  add(number: number, { folder, size, attributes, parent, names, nameFrom, nameLength }: Glance): void {
    const bytes = this.#bytes;
    for (let i = 0; i < nameLength; i++) bytes[this.#used + i] = names[nameFrom + i]!;
    this.#used += nameLength;
    const kind = folder ? 'folder' : 'file';
    this.#entries.push(new NtfsEntry('', kind, size, attributes, this.mft.files, number, CONTENT));
    this.#parents.push(parent);
    this.#ends.push(this.#used);
  }

  addFile(file: NtfsFile): void {
    const { number, streams, attributes } = file;
    const { files } = this.mft;
    const put = (path: string, kind: EntryKind, size: number, which: number, stream?: string): void => {
      this.#entries.push(new NtfsEntry(path, kind, size, attributes, files, number, which, stream));
      this.#parents.push(-1);
      this.#ends.push(-1);
    };
    for (const { parent, name } of file.names) {
      const path = this.paths.join(parent, name);
      if (path === undefined) continue;
      const link = linkOf(file);
      const kind = link ? 'link' : file.folder ? 'folder' : 'file';
      put(path, kind, link?.length ?? streams.find(isContent)?.size ?? 0, CONTENT);
      for (const [i, stream] of streams.entries())
        if (stream.type === TYPE.data && stream.name !== '')
          put(`${path}:${stream.name}`, 'file', stream.size, 1 + i, stream.name);
    }
  }

  /** The entries so far, with their paths; begins anew. */
  take(): FileEntry[] {
    const names = this.#decoder.decode(this.#bytes.subarray(0, this.#used));
    const out: FileEntry[] = [];
    let start = 0;
    for (const [i, entry] of this.#entries.entries()) {
      const end = this.#ends[i]!;
      const path = end < 0 ? entry.path : this.paths.join(this.#parents[i]!, names.slice(start, end));
      if (end >= 0) start = end;
      if (path === undefined) continue;
      entry.path = path;
      out.push(entry);
    }
    this.#entries = [];
    this.#parents.length = 0;
    this.#ends.length = 0;
    this.#used = 0;
    return out;
  }
}

function isContent(stream: NtfsStream): boolean {
  return stream.type === TYPE.data && stream.name === '';
}

/** What user files have in clusters from `first` on, by the first path of each, in order of their records. */
export function* storedFrom(mft: Mft, first: number): Generator<{ path: string; clusters: number }> {
  const paths = new FolderPaths(mft);
  for (const file of mft.files.values()) {
    if (file.number < FIRST_USER_RECORD || file.parent < 0) continue;
    for (const { type, name, runs } of file.streams) {
      let clusters = 0;
      for (const { lcn, length } of runs) if (lcn >= 0) clusters += Math.max(0, lcn + length - Math.max(first, lcn));
      const path = clusters > 0 ? paths.join(file.parent, file.name) : undefined;
      if (path !== undefined) yield { path: type === TYPE.data && name !== '' ? `${path}:${name}` : path, clusters };
    }
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
  #last = -1;
  #reserved = false;
  #front = '';

  constructor(private readonly mft: Mft) {}

  /** The path of a name in a folder, or undefined in those of the file system itself. */
  join(parent: number, name: string): string | undefined {
    // Files that were made together stand together.
    if (parent !== this.#last) {
      const folder = this.#of(parent);
      this.#last = parent;
      this.#reserved = folder === EXTENDED || folder.startsWith(`${EXTENDED}/`);
      this.#front = folder === '' ? '' : `${folder}/`;
    }
    return this.#reserved ? undefined : this.#front + name;
  }

  #of(number: number): string {
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
