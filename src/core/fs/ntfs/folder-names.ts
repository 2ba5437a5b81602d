/** Every name of a volume by folder, as a writer needs them: looked up without regard to case, and changed. */
import { utf16 } from '@/core/bytes';
import { CoreError } from '@/core/errors';
import { referenceTo } from './build-record';
import type { ChangeInput } from './change';
import type { IndexedName } from './index-tree';
import { ntfsNameFault } from './kinds';
import { readRecords } from './mft';
import { DOS_SPACE, lettersIn, parentIn, SPACE_AT, WIN32 } from './new-attributes';
import { parseAttributes } from './attribute-cursor';
import { FLAG, RECORD, recordOf, sequenceOf, TYPE, undoFixup } from './record';

const ROOT = 5;
const LEAST_NAME = 68;

export interface OpenFolder {
  readonly number: number;
  readonly names: Map<string, IndexedName>;
  dirty: boolean;
}

export class FolderNames {
  readonly #folders = new Map<number, OpenFolder>();
  readonly #paths = new Map<string, number>([['', ROOT]]);
  /** Sequence numbers of folders that are new. */
  readonly #added = new Map<number, number>();

  private constructor(
    private readonly input: ChangeInput,
    private readonly upcase: Uint16Array,
  ) {}

  /** @throws CoreError `device.read-failed` or `fs.damaged` */
  static async load(input: ChangeInput, upcase: Uint16Array): Promise<FolderNames> {
    const names = new FolderNames(input, upcase);
    const { device, geometry, mft } = input;
    for await (const { number, bytes } of readRecords(device, geometry, mft.tableRuns, mft.records)) {
      const header = RECORD.decode(bytes);
      if (header.magic !== 'FILE' || (header.flags & FLAG.inUse) === 0 || undoFixup(bytes) !== 'ok') continue;
      const own = header.base === 0n ? number : recordOf(header.base);
      const sequence = header.base === 0n ? header.sequence : sequenceOf(header.base);
      for (const { type, value } of parseAttributes(bytes) ?? []) {
        if (type !== TYPE.fileName || !value || value.length < LEAST_NAME) continue;
        const name = utf16(lettersIn(value));
        const dos = value[SPACE_AT] === DOS_SPACE;
        names.add(parentIn(value), { reference: referenceTo(own, sequence), key: value.slice(), name, dos });
      }
    }
    return names;
  }

  /** Folders whose names changed. */
  *changed(): Generator<OpenFolder> {
    for (const folder of this.#folders.values()) if (folder.dirty) yield folder;
  }

  /** A name in capitals, by the volume's own table. */
  fold(name: string): string {
    let out = '';
    for (let i = 0; i < name.length; i++) out += String.fromCharCode(this.upcase[name.charCodeAt(i)]!);
    return out;
  }

  folder(number: number): OpenFolder {
    const known = this.#folders.get(number);
    if (known) return known;
    const folder: OpenFolder = { number, names: new Map(), dirty: false };
    this.#folders.set(number, folder);
    return folder;
  }

  /** The folder, if anything is in it. */
  known(number: number): OpenFolder | undefined {
    return this.#folders.get(number);
  }

  add(parent: number, entry: IndexedName): void {
    this.folder(parent).names.set(this.#keyOf(entry), entry);
  }

  /** A name that is new, so that its folder's index is built anew. */
  enter(parent: number, entry: IndexedName): void {
    this.add(parent, entry);
    this.folder(parent).dirty = true;
  }

  /** A folder that is new, at its path. */
  enterFolder(path: string, number: number, sequence: number): void {
    this.#added.set(number, sequence);
    this.folder(number).dirty = true;
    this.#paths.set(this.fold(path), number);
  }

  leave(folder: OpenFolder, entry: IndexedName): void {
    folder.names.delete(this.#keyOf(entry));
    folder.dirty = true;
  }

  /** A folder that is no more. */
  drop(number: number): void {
    this.#folders.delete(number);
    this.#paths.clear();
    this.#paths.set('', ROOT);
  }

  #keyOf({ name, dos }: IndexedName): string {
    return `${this.fold(name)}${dos ? '\0dos' : ''}`;
  }

  /** What stands at a path, with the folder it is in. @throws CoreError `fs.not-found` */
  find(path: string): { readonly parent: number; readonly entry: IndexedName } {
    const [above, name] = cut(path);
    const parent = this.#resolve(above);
    const entry = this.folder(parent).names.get(this.fold(name));
    if (!entry) throw new CoreError('fs.not-found', { path });
    return { parent, entry };
  }

  /** Where a new entry goes. @throws CoreError `fs.name`, `fs.exists`, `fs.not-found` */
  place(path: string): { readonly parent: number; readonly name: string } {
    const [above, name] = cut(path);
    if (ntfsNameFault(name))
      throw new CoreError('fs.name', { name, reason: 'it is empty, too long, or holds what a name must not' });
    const parent = this.#resolve(above);
    if (this.folder(parent).names.has(this.fold(name))) throw new CoreError('fs.exists', { path });
    return { parent, name };
  }

  #resolve(path: string): number {
    const known = this.#paths.get(this.fold(path));
    if (known !== undefined) return known;
    const [above, name] = cut(path);
    const parent = this.#resolve(above);
    const entry = this.folder(parent).names.get(this.fold(name));
    const number = entry ? recordOf(entry.reference) : -1;
    if (!entry || !this.input.mft.files.get(number)?.folder) throw new CoreError('fs.not-found', { path });
    this.#paths.set(this.fold(path), number);
    return number;
  }

  /** The reference of a folder. */
  referenceOf(number: number): bigint {
    return referenceTo(number, this.input.mft.files.get(number)?.sequence ?? this.#added.get(number) ?? 1);
  }
}

/** The folder of a path, and the name in it. */
function cut(path: string): [folder: string, name: string] {
  const at = path.lastIndexOf('/');
  return at < 0 ? ['', path] : [path.slice(0, at), path.slice(at + 1)];
}

/** The 8.3 name of a file that has one beside its long one. */
export function shortNameOf(entry: IndexedName, { names }: OpenFolder): IndexedName[] {
  if (entry.key[SPACE_AT] !== WIN32) return [];
  const number = recordOf(entry.reference);
  return [...names.values()].filter((n) => n.dos && recordOf(n.reference) === number).slice(0, 1);
}
