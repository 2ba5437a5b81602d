/**
 * Folders against records: every index in order, every entry a live record, every name in its folder's index. Most folders
 * agree with what is counted of them, with no name made into text; those that do not are gone over by name.
 */
import { utf16 } from '@/core/bytes';
import type { Finding } from '@/core/errors';
import { readAcross } from './across';
import type { CheckInput, FilePass } from './check';
import { readIndex, type ReadEntry } from './index-reader';
import type { NtfsFile } from './file';
import { Glance } from './file-table';
import { recordOf, sequenceOf, TYPE } from './record';

const FIRST_USER_RECORD = 24;
const NAME_AT = 66;
const MAX_FINDINGS = 100;
const MAX_INDEX_BYTES = 256 * 1024 * 1024;

/** What a folder's index must hold: record numbers by name, long and short. */
type Wanted = Map<string, number>;

export class IndexPass implements FilePass {
  readonly #findings: Finding[] = [];
  readonly #folders: number[] = [];
  /** How many names each folder's index must hold. */
  readonly #counts = new Map<number, number>();
  readonly #glance = new Glance();

  constructor(private readonly input: CheckInput) {}

  take(file: NtfsFile): void {
    if (file.folder) this.#folders.push(file.number);
    if (file.parent >= 0) this.#count(file.parent);
    for (const { parent } of file.furtherNames) this.#count(parent);
    for (const { parent } of file.shortNames) this.#count(parent);
  }

  /** @throws CoreError `device.read-failed` */
  async findings(): Promise<Finding[]> {
    const { files } = this.input.mft;
    const doubtful = new Map<number, Wanted>();
    for (const number of this.#folders) if (!(await this.#agrees(files.get(number)!))) doubtful.set(number, new Map());
    if (doubtful.size > 0) this.#want(doubtful);
    for (const [number, wanted] of doubtful) {
      if (this.#findings.length >= MAX_FINDINGS) break;
      await this.#folder(files.get(number)!, wanted);
    }
    return this.#findings;
  }

  #count(parent: number): void {
    this.#counts.set(parent, (this.#counts.get(parent) ?? 0) + 1);
  }

  /** Whether an index is in order, no name in it twice, and holds as many names of its files as there are. */
  async #agrees(folder: NtfsFile): Promise<boolean> {
    const index = await this.#read(folder);
    if (typeof index === 'string' || index.length !== (this.#counts.get(folder.number) ?? 0)) return false;
    let previous: Uint8Array | undefined;
    for (const { reference, key } of index) {
      if (key.length < NAME_AT + 2 || (previous && collate(previous, key, this.input.upcase) >= 0)) return false;
      if (!this.#isNamed(recordOf(reference), sequenceOf(reference), folder.number, key)) return false;
      previous = key;
    }
    return true;
  }

  /** Whether a record has a name in a folder. @param key the value of a file name, its letters from {@link NAME_AT} on */
  #isNamed(number: number, sequence: number, folder: number, key: Uint8Array): boolean {
    const { files } = this.input.mft;
    if (files.sequenceOf(number) !== sequence) return false;
    const seen = this.#glance;
    if (files.glance(number, seen) === true && seen.parent === folder && isName(seen, key)) return true;
    const file = files.get(number)!;
    const text = utf16(key.subarray(NAME_AT));
    return [...file.names, ...file.shortNames].some(({ parent, name }) => parent === folder && name === text);
  }

  /** Goes over all files for the names that some folders must hold. */
  #want(folders: ReadonlyMap<number, Wanted>): void {
    for (const { number, names, shortNames } of this.input.mft.files.values())
      for (const { parent, name } of [...names, ...shortNames]) folders.get(parent)?.set(name, number);
  }

  async #folder(folder: NtfsFile, wanted: Wanted): Promise<void> {
    const index = await this.#read(folder);
    if (typeof index === 'string') {
      this.#find('error', 'ntfs.index', `The index of folder record ${folder.number} can’t be read: ${index}.`);
      return;
    }
    this.#order(folder, index);
    let stale = 0;
    for (const { reference, key } of index) {
      const name = utf16(key.subarray(NAME_AT));
      const number = recordOf(reference);
      const sequence = this.input.mft.files.sequenceOf(number);
      const known = sequence === sequenceOf(reference) && wanted.get(name) === number;
      if (known) wanted.delete(name);
      else stale += 1;
    }
    if (stale > 0)
      this.#find(
        'error',
        'ntfs.index-entry',
        `Folder record ${folder.number} lists ${stale} names that no record has, or that a record has under another number.`,
      );
    const missing = [...wanted].filter(([, number]) => number >= FIRST_USER_RECORD || folder.number !== 11);
    if (missing.length > 0)
      this.#find(
        'error',
        'ntfs.index-missing',
        `Folder record ${folder.number} does not list ${missing.length} of its files, ${missing[0]![0]} among them.`,
      );
  }

  /** The entries of a folder, or what is wrong. */
  async #read(folder: NtfsFile): Promise<readonly ReadEntry[] | string> {
    const { device, geometry: g } = this.input;
    const stream = (type: number) => folder.streams.find((s) => s.type === type && s.name === '$I30');
    const root = stream(TYPE.indexRoot)?.value;
    if (!root || root.length < 32) return 'it has none';
    const view = new DataView(root.buffer, root.byteOffset, root.length);
    const blockSize = view.getUint32(8, true);
    if (blockSize < 512 || blockSize > 65_536 || blockSize % 512 !== 0) return `blocks of ${blockSize} bytes`;
    const blocks = stream(TYPE.indexAllocation);
    const size = blocks && !blocks.value ? blocks.size : 0;
    if (size > MAX_INDEX_BYTES) return 'it is too large';
    const bytes = await readAcross(device, blocks?.runs ?? [], g.clusterSize, 0, size);
    const index = readIndex(root, bytes, blockSize, g.clusterSize <= blockSize ? g.clusterSize : 512);
    return 'fault' in index ? index.fault : index.entries;
  }

  #order(folder: NtfsFile, entries: readonly ReadEntry[]): void {
    const { upcase } = this.input;
    let previous: Uint8Array | undefined;
    for (const { key } of entries) {
      if (key.length < NAME_AT + 2) {
        this.#find('error', 'ntfs.index', `Folder record ${folder.number} lists a name without letters.`);
        return;
      }
      if (previous && collate(previous, key, upcase) > 0) {
        this.#find(
          'error',
          'ntfs.index-order',
          `Folder record ${folder.number} lists ${utf16(key.subarray(NAME_AT))} out of order, so that names can’t be found.`,
        );
        return;
      }
      previous = key;
    }
  }

  #find(severity: Finding['severity'], code: string, message: string): void {
    if (this.#findings.length < MAX_FINDINGS) this.#findings.push({ severity, code, message });
  }
}

/** Whether a name in ASCII is the one of a key. */
function isName({ names, nameFrom, nameLength }: Glance, key: Uint8Array): boolean {
  if (key.length !== NAME_AT + 2 * nameLength) return false;
  for (let i = 0, at = NAME_AT; i < nameLength; i++, at += 2)
    if (names[nameFrom + i] !== key[at] || key[at + 1] !== 0) return false;
  return true;
}

/** By UTF-16 units in capitals; names that differ in case alone may stand either way. */
function collate(a: Uint8Array, b: Uint8Array, upcase: Uint16Array): number {
  const length = Math.min(a.length, b.length);
  for (let i = NAME_AT; i + 1 < length; i += 2) {
    const [x, y] = [a[i]! | (a[i + 1]! << 8), b[i]! | (b[i + 1]! << 8)];
    if (x === y) continue;
    const [p, q] = [upcase[x]!, upcase[y]!];
    if (p !== q) return p - q;
  }
  return a.length - b.length;
}
