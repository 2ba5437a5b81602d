/**
 * Adding folders and files to an NTFS volume.
 *
 * Content goes straight to free clusters. Records, bitmaps and the boot sector's neighbours are gathered and written by
 * {@link NtfsWriter.finish}. The index of a folder that was added to is built anew as a whole, from the names that the
 * records hold, which gives a full and balanced tree whatever it was before.
 */
import { CoreError } from '@/core/errors';
import { bytesOf, fillFree, lengthOf } from '../fill';
import type { FileTimes, NewContent, NewFileFacts, Transaction, VolumeWriter } from '../port';
import { countSet, nextBit, setBits } from '../bitmap';
import { referenceTo, toUtf16, type NewAttribute } from './build-record';
import type { AdoptedFile, Reserved } from './adopt';
import type { ChangeInput } from './change';
import type { FileRecords } from './file-records';
import { buildIndex, type BuiltIndex, type IndexedName } from './index-tree';
import { MftEdit } from './mft-edit';
import { readRecords } from './mft';
import { FLAG, RECORD, recordOf, sequenceOf, TYPE, undoFixup, parseAttributes, utf16 } from './record';
import { appendRun, type DataRun } from './runlist';
import { SecurityDescriptors } from './secure';
import { SECURITY_ID } from './security';
import { isoToFiletime } from './times';
import { ntfsNameFault } from './kinds';
import { changedIdentities, changedLinks, extendRecord, readView, type ReparsedFile } from './view-edit';

const ROOT = 5;
const FOLDER_FLAG = 0x10000000;
const ARCHIVE = 0x20;
const POSIX = 0;
const WIN32 = 1;
const DOS_SPACE = 2;
/** Content up to this stays in the record. */
const RESIDENT_LIMIT = 400;
const REPARSE_FLAG = 0x400;
const ATTRIBUTE_BITS: Readonly<Record<string, number>> = { 'read-only': 1, hidden: 2, system: 4, archive: ARCHIVE };
/** In the value of a name: the folder, the kind of link, the name space. */
const TAG_AT = 60;
const SPACE_AT = 65;
/** In standard information: the id of its security descriptor. */
const SECURITY_ID_AT = 52;

interface OpenFolder {
  readonly number: number;
  readonly names: Map<string, IndexedName>;
  dirty: boolean;
}

/**
 * Opens a writer.
 * @param reserved clusters that are nobody’s by the bitmap, and are given to nothing but what is taken over
 * @throws CoreError `device.read-failed` or `fs.damaged` */
export async function openNtfsWriter(
  input: ChangeInput,
  upcase: Uint16Array,
  tx: Transaction,
  reserved?: Reserved,
): Promise<NtfsWriter> {
  const writer = new NtfsWriter(input, upcase, tx, reserved);
  await writer.load();
  return writer;
}

export class NtfsWriter implements VolumeWriter {
  readonly #folders = new Map<number, OpenFolder>();
  readonly #paths = new Map<string, number>([['', ROOT]]);
  /** Sequence numbers of new folders, by record. */
  readonly #newFolders = new Map<number, number>();
  readonly #links: ReparsedFile[] = [];
  /** Clusters of what was taken over. */
  readonly #adopted: DataRun[] = [];
  /** References of files that were taken away. */
  readonly #gone = new Set<bigint>();
  #descriptors: SecurityDescriptors | undefined;
  readonly #bitmap: Uint8Array;
  #edit!: MftEdit;
  #cursor = 0;
  #free = 0;

  constructor(
    private readonly input: ChangeInput,
    private readonly upcase: Uint16Array,
    private readonly tx: Transaction,
    private readonly reserved: Reserved | undefined,
  ) {
    this.#bitmap = input.bitmap.slice();
    this.#setReserved(true);
    this.#free = this.#count - countSet(this.#bitmap, this.#count);
  }

  #setReserved(taken: boolean): void {
    if (!this.reserved) return;
    const { lcn, length } = this.reserved;
    setBits(this.#bitmap, lcn, lcn + length, taken);
  }

  get #count(): number {
    return this.input.geometry.clusterCount;
  }

  /** Gathers every name of the volume by folder. */
  async load(): Promise<void> {
    const { device, geometry, mft } = this.input;
    this.#edit = await MftEdit.open(this.input, this.tx, (count) => this.#allocate(count, undefined));
    for await (const { number, bytes } of readRecords(device, geometry, mft.tableRuns, mft.records)) {
      const header = RECORD.decode(bytes);
      if (header.magic !== 'FILE' || (header.flags & FLAG.inUse) === 0 || undoFixup(bytes) !== 'ok') continue;
      const own = header.base === 0n ? number : recordOf(header.base);
      const sequence = header.base === 0n ? header.sequence : sequenceOf(header.base);
      for (const { type, value } of parseAttributes(bytes) ?? []) {
        if (type !== TYPE.fileName || !value || value.length < 68) continue;
        const parent = recordOf(new DataView(value.buffer, value.byteOffset, 8).getBigUint64(0, true));
        this.#nameIn(parent, {
          reference: referenceTo(own, sequence),
          key: value.slice(),
          name: utf16(value.subarray(66)),
          dos: value[65] === DOS_SPACE,
        });
      }
    }
  }

  #nameIn(parent: number, entry: IndexedName): void {
    this.#folder(parent).names.set(this.#keyOf(entry), entry);
  }

  #keyOf({ name, dos }: IndexedName): string {
    return `${this.#fold(name)}${dos ? '\0dos' : ''}`;
  }

  #folder(number: number): OpenFolder {
    const known = this.#folders.get(number);
    if (known) return known;
    const folder: OpenFolder = { number, names: new Map(), dirty: false };
    this.#folders.set(number, folder);
    return folder;
  }

  #fold(name: string): string {
    let out = '';
    for (let i = 0; i < name.length; i++) out += String.fromCharCode(this.upcase[name.charCodeAt(i)]!);
    return out;
  }

  async mkdir(path: string, facts: NewFileFacts = {}): Promise<void> {
    const { parent, name } = this.#place(path);
    const key = this.#fileName(parent, name, facts, FOLDER_FLAG, 0, 0);
    const file = await this.#edit.create(FLAG.inUse | FLAG.folder, [
      ...(await this.#standard(parent, facts, 0)),
      { type: TYPE.fileName, value: key, indexed: true },
      ...reparseOf(facts),
    ]);
    this.#noteLink(file, facts);
    this.#newFolders.set(file.number, file.sequence);
    this.#folder(file.number).dirty = true;
    this.#paths.set(this.#fold(path), file.number);
    this.#enter(parent, file, name, key);
  }

  async writeFile(path: string, content: NewContent, facts: NewFileFacts = {}): Promise<void> {
    const { parent, name } = this.#place(path);
    const data = await this.#data('', content, facts);
    const size = lengthOf(content);
    const key = this.#fileName(parent, name, facts, 0, 'allocated' in data ? data.allocated : 0, size);
    const named = { type: TYPE.fileName, value: key, indexed: true };
    const attributes = [...(await this.#standard(parent, facts, ARCHIVE)), named, data];
    for (const stream of facts.streams ?? []) attributes.push(await this.#data(stream.name, stream.content, {}));
    const file = await this.#edit.create(FLAG.inUse, [...attributes, ...reparseOf(facts)]);
    this.#noteLink(file, facts);
    this.#enter(parent, file, name, key);
  }

  /** Takes over a file or folder whose clusters are the volume's already. */
  async adopt(path: string, { flags, standard, name: told, security, reparse, held }: AdoptedFile): Promise<void> {
    const { parent, name } = this.#place(path);
    const own = { flags: flags & (FLAG.inUse | FLAG.folder), folder: (flags & FLAG.folder) !== 0 };
    const text = toUtf16(name);
    const key = new Uint8Array(66 + text.length);
    key.set(told.subarray(0, 66));
    new DataView(key.buffer).setBigUint64(0, referenceTo(parent, this.#sequenceOf(parent)), true);
    key[64] = name.length;
    key[SPACE_AT] = POSIX;
    key.set(text, 66);
    const rights = await this.#rights(parent, security);
    const value = new Uint8Array(72);
    value.set(standard.subarray(0, 48));
    new DataView(value.buffer).setUint32(SECURITY_ID_AT, rights.id, true);
    const file = await this.#edit.create(own.flags, [
      { type: TYPE.standardInformation, value },
      { type: TYPE.fileName, value: key, indexed: true },
      ...rights.own,
    ]);
    file.hold(held);
    for (const run of held.flatMap((h) => h.runs ?? [])) if (run.lcn >= 0) this.#adopted.push(run);
    this.#noteLink(file, reparse ? { reparse } : {});
    this.#enter(parent, file, name, key);
    if (!own.folder) return;
    this.#newFolders.set(file.number, file.sequence);
    this.#folder(file.number).dirty = true;
    this.#paths.set(this.#fold(path), file.number);
  }

  #noteLink({ number, sequence }: FileRecords, { reparse }: NewFileFacts): void {
    if (reparse) this.#links.push({ tag: tagOf(reparse), reference: referenceTo(number, sequence) });
  }

  async hardLink(path: string, existing: string): Promise<void> {
    const cut = existing.lastIndexOf('/');
    const from = this.#resolve(cut < 0 ? '' : existing.slice(0, cut));
    const entry = this.#folder(from).names.get(this.#fold(existing.slice(cut + 1)));
    if (!entry) throw new CoreError('fs.not-found', { path: existing });
    const { parent, name } = this.#place(path);
    const text = toUtf16(name);
    const key = new Uint8Array(66 + text.length);
    key.set(entry.key.subarray(0, 66));
    new DataView(key.buffer).setBigUint64(0, referenceTo(parent, this.#sequenceOf(parent)), true);
    key[64] = name.length;
    key[SPACE_AT] = POSIX;
    key.set(text, 66);
    const file = await this.#edit.file(recordOf(entry.reference));
    file.addName(key);
    this.#enter(parent, file, name, key);
  }

  async remove(path: string): Promise<void> {
    const cut = path.lastIndexOf('/');
    const parent = this.#resolve(cut < 0 ? '' : path.slice(0, cut));
    const folder = this.#folder(parent);
    const entry = folder.names.get(this.#fold(path.slice(cut + 1)));
    if (!entry) throw new CoreError('fs.not-found', { path });
    const number = recordOf(entry.reference);
    const short =
      entry.key[SPACE_AT] === WIN32
        ? [...folder.names.values()].find((n) => n.dos && recordOf(n.reference) === number)
        : undefined;
    const names = new Set([entry.name, ...(short ? [short.name] : [])]);
    for (const gone of short ? [entry, short] : [entry]) folder.names.delete(this.#keyOf(gone));
    folder.dirty = true;
    await this.#drop(parent, number, (name) => names.has(name));
    this.#paths.clear();
    this.#paths.set('', ROOT);
  }

  /** A file loses its names in a folder; with the last of them it goes, and with a folder all that is in it. */
  async #drop(parent: number, number: number, names: (name: string) => boolean): Promise<void> {
    const below = this.#folders.get(number);
    if (below) {
      const numbers = new Set([...below.names.values()].map((n) => recordOf(n.reference)));
      for (const child of numbers) await this.#drop(number, child, () => true);
      this.#folders.delete(number);
    }
    const file = await this.#edit.file(number);
    const left = file.removeNames((value) => parentIn(value) === parent && names(utf16(value.subarray(66))));
    if (left > 0) return;
    this.#edit.erase(number);
    this.#gone.add(referenceTo(number, file.sequence));
  }

  /** Content in the record when it is short, else in clusters. */
  async #data(name: string, content: NewContent, facts: NewFileFacts): Promise<NewAttribute> {
    const size = lengthOf(content);
    if (content.kind !== 'procedural' && size <= RESIDENT_LIMIT)
      return { type: TYPE.data, name, value: (await bytesOf(content)).slice() };
    return { ...(await this.#store(content, size, facts)), name };
  }

  async #store(content: NewContent, size: number, facts: NewFileFacts): Promise<NewAttribute> {
    const { clusterSize } = this.input.geometry;
    const count = Math.ceil(size / clusterSize);
    const pieces = Math.max(1, Math.min(facts.placement?.fragments ?? 1, count));
    const each = Math.ceil(count / pieces);
    const runs: DataRun[] = [];
    for (let left = count; left > 0;) {
      const taken = this.#allocate(Math.min(each, left), left === count ? facts.placement?.near : undefined);
      for (const run of taken) {
        appendRun(runs, run);
        left -= run.length;
      }
      if (pieces > 1) this.#cursor = (this.#cursor + each) % this.#count;
    }
    const rooms = runs.map(({ lcn, length }) => ({ offset: lcn * clusterSize, length: length * clusterSize }));
    await fillFree(this.tx, rooms, content);
    return { type: TYPE.data, runs, allocated: count * clusterSize, size };
  }

  /** The next free clusters from the cursor on, or from a place on the volume, marked as taken. */
  #allocate(count: number, near: number | undefined): DataRun[] {
    if (count > this.#free) {
      const { clusterSize } = this.input.geometry;
      throw new CoreError('fs.full', { needed: count * clusterSize, free: this.#free * clusterSize });
    }
    if (near !== undefined) this.#cursor = Math.min(this.#count - 1, Math.floor(near * this.#count));
    const runs: DataRun[] = [];
    for (let left = count; left > 0;) {
      const start = nextBit(this.#bitmap, this.#cursor, this.#count, false);
      const length = nextBit(this.#bitmap, start, Math.min(this.#count, start + left), true) - start;
      if (length > 0) {
        setBits(this.#bitmap, start, start + length, true);
        appendRun(runs, { lcn: start, length });
        left -= length;
      }
      this.#cursor = (start + length) % this.#count;
    }
    this.#free -= count;
    return runs;
  }

  #place(path: string): { parent: number; name: string } {
    const cut = path.lastIndexOf('/');
    const name = path.slice(cut + 1);
    if (ntfsNameFault(name)) {
      throw new CoreError('fs.name', { name, reason: 'it is empty, too long, or holds what a name must not' });
    }
    const parent = this.#resolve(cut < 0 ? '' : path.slice(0, cut));
    if (this.#folder(parent).names.has(this.#fold(name))) throw new CoreError('fs.exists', { path });
    return { parent, name };
  }

  #resolve(path: string): number {
    const known = this.#paths.get(this.#fold(path));
    if (known !== undefined) return known;
    const cut = path.lastIndexOf('/');
    const parent = this.#resolve(cut < 0 ? '' : path.slice(0, cut));
    const entry = this.#folder(parent).names.get(this.#fold(path.slice(cut + 1)));
    const number = entry ? recordOf(entry.reference) : -1;
    if (!entry || !this.input.mft.files.get(number)?.folder) throw new CoreError('fs.not-found', { path });
    this.#paths.set(this.#fold(path), number);
    return number;
  }

  #enter(parent: number, { number, sequence }: FileRecords, name: string, key: Uint8Array): void {
    this.#nameIn(parent, { reference: referenceTo(number, sequence), key, name, dos: false });
    this.#folder(parent).dirty = true;
  }

  /** Standard information, and the rights where they are none that the volume has already. */
  async #standard(parent: number, facts: NewFileFacts, extra: number): Promise<NewAttribute[]> {
    const value = new Uint8Array(72);
    const view = new DataView(value.buffer);
    writeTimes(view, 0, facts);
    view.setUint32(32, attributeBits(facts, extra), true);
    const { id, own } = await this.#rights(parent, facts.security);
    view.setUint32(SECURITY_ID_AT, id, true);
    return [{ type: TYPE.standardInformation, value }, ...own];
  }

  /** The id of rights that the volume has already, or none and the rights themselves. */
  async #rights(parent: number, security: Uint8Array | undefined): Promise<{ id: number; own: NewAttribute[] }> {
    if (!security) return { id: await this.#rightsOf(parent), own: [] };
    const known = (await this.#knownRights()).idOf(security);
    return known === undefined
      ? { id: 0, own: [{ type: TYPE.security, value: security.slice() }] }
      : { id: known, own: [] };
  }

  async #knownRights(): Promise<SecurityDescriptors> {
    const { device, geometry, mft } = this.input;
    return (this.#descriptors ??= await SecurityDescriptors.read(device, geometry, mft));
  }

  /** What is made in a folder has its rights. */
  async #rightsOf(parent: number): Promise<number> {
    const value = (await this.#edit.file(parent)).valueOf(TYPE.standardInformation);
    if (!value || value.length < 72) return SECURITY_ID.open;
    return (
      new DataView(value.buffer, value.byteOffset, value.length).getUint32(SECURITY_ID_AT, true) || SECURITY_ID.open
    );
  }

  #fileName(
    parent: number,
    name: string,
    facts: NewFileFacts,
    folder: number,
    allocated: number,
    size: number,
  ): Uint8Array {
    const text = toUtf16(name);
    const value = new Uint8Array(66 + text.length);
    const view = new DataView(value.buffer);
    view.setBigUint64(0, referenceTo(parent, this.#sequenceOf(parent)), true);
    writeTimes(view, 8, facts);
    view.setBigUint64(40, BigInt(allocated), true);
    view.setBigUint64(48, BigInt(size), true);
    view.setUint32(56, attributeBits(facts, folder ? 0 : ARCHIVE) | folder, true);
    if (facts.reparse) view.setUint32(TAG_AT, tagOf(facts.reparse), true);
    value[64] = name.length;
    value[SPACE_AT] = POSIX;
    value.set(text, 66);
    return value;
  }

  #sequenceOf(number: number): number {
    return this.input.mft.files.get(number)?.sequence ?? this.#newFolders.get(number) ?? 1;
  }

  async finish(): Promise<void> {
    for (const folder of this.#folders.values()) if (folder.dirty) await this.#writeFolder(folder);
    await this.#followViews();
    this.#setReserved(false);
    for (const { lcn, length } of this.#adopted) setBits(this.#bitmap, lcn, lcn + length, true);
    await this.#edit.write(() => this.#bitmap, this.#count);
  }

  /** Links and identities are found by views of their own. */
  async #followViews(): Promise<void> {
    const { device, geometry, mft } = this.input;
    if (this.#links.length === 0 && this.#gone.size === 0) return;
    const links = extendRecord(mft, '$Reparse');
    if (links !== undefined) {
      const file = await this.#edit.file(links);
      const entries = await readView(device, geometry, file, '$R');
      await this.#putIndex(file, '$R', changedLinks(entries, this.#gone, this.#links, geometry));
    }
    const identities = this.#gone.size > 0 ? extendRecord(mft, '$ObjId') : undefined;
    if (identities !== undefined) {
      const file = await this.#edit.file(identities);
      const entries = await readView(device, geometry, file, '$O');
      await this.#putIndex(file, '$O', changedIdentities(entries, this.#gone, geometry));
    }
  }

  async #writeFolder(folder: OpenFolder): Promise<void> {
    const index = buildIndex([...folder.names.values()], this.input.geometry, (name) => this.#fold(name));
    await this.#putIndex(await this.#edit.file(folder.number), '$I30', index);
  }

  async #putIndex(file: FileRecords, name: string, index: BuiltIndex): Promise<void> {
    const { geometry } = this.input;
    // The clusters of the index that is built anew are free again, but not before the change is through.
    for (const type of [TYPE.indexAllocation, TYPE.bitmap])
      for (const run of file.runsOf(type, name) ?? []) this.#edit.freeLater(run);
    const attributes: NewAttribute[] = [{ type: TYPE.indexRoot, name, value: index.root }];
    if (index.blocks.length > 0) {
      const clusters = Math.ceil(index.blocks.length / geometry.clusterSize);
      const runs = this.#allocate(clusters, undefined);
      await this.#edit.fill(runs, index.blocks);
      const [size, allocated] = [index.blocks.length, clusters * geometry.clusterSize];
      attributes.push({ type: TYPE.indexAllocation, name, runs, allocated, size });
      attributes.push({ type: TYPE.bitmap, name, ...(await this.#indexBitmap(index.bitmap)) });
    }
    file.replace(name, [TYPE.indexRoot, TYPE.indexAllocation, TYPE.bitmap], attributes);
  }

  /** The bitmap of a very large index does not fit a record. */
  async #indexBitmap(
    bitmap: Uint8Array,
  ): Promise<{ value: Uint8Array } | { runs: DataRun[]; allocated: number; size: number }> {
    if (bitmap.length <= RESIDENT_LIMIT) return { value: bitmap };
    const { clusterSize } = this.input.geometry;
    const runs = this.#allocate(Math.ceil(bitmap.length / clusterSize), undefined);
    await this.#edit.fill(runs, bitmap);
    return { runs, allocated: Math.ceil(bitmap.length / clusterSize) * clusterSize, size: bitmap.length };
  }
}

const reparseOf = ({ reparse }: NewFileFacts): NewAttribute[] =>
  reparse ? [{ type: TYPE.reparsePoint, value: reparse.slice() }] : [];
/** The kind of a link: the first word of what is stored of it. */
const tagOf = (reparse: Uint8Array): number =>
  reparse.length < 4 ? 0 : new DataView(reparse.buffer, reparse.byteOffset, 4).getUint32(0, true);
const parentIn = (value: Uint8Array): number =>
  recordOf(new DataView(value.buffer, value.byteOffset, 8).getBigUint64(0, true));

function attributeBits({ attributes, reparse }: NewFileFacts, otherwise: number): number {
  const link = reparse ? REPARSE_FLAG : 0;
  if (!attributes) return otherwise | link;
  return attributes.reduce((bits, word) => bits | (ATTRIBUTE_BITS[word] ?? 0), link);
}

function writeTimes(
  view: DataView,
  at: number,
  { times = {}, changed }: { times?: FileTimes; changed?: string },
): void {
  const modified = isoToFiletime(times.modified);
  const list = [
    isoToFiletime(times.created ?? times.modified),
    modified,
    changed === undefined ? modified : isoToFiletime(changed),
    isoToFiletime(times.accessed ?? times.modified),
  ];
  list.forEach((ticks, i) => view.setBigUint64(at + i * 8, ticks, true));
}
