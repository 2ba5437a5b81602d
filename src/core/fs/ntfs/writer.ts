/**
 * Adding folders and files to an NTFS volume.
 *
 * Content goes straight to free clusters. Records, bitmaps and the boot sector's neighbours are gathered and written by
 * {@link NtfsWriter.finish}. The index of a folder that was added to is built anew as a whole, from the names that the
 * records hold, which gives a full and balanced tree whatever it was before.
 */
import { CoreError } from '@/core/errors';
import type { FileTimes, NewContent, NewFileFacts, Transaction, VolumeWriter } from '../port';
import { countSet, nextBit, setBits } from '../bitmap';
import { referenceTo, toUtf16, type NewAttribute } from './build-record';
import type { ChangeInput } from './change';
import type { FileRecords } from './file-records';
import { buildIndex, type IndexedName } from './index-tree';
import { MftEdit } from './mft-edit';
import { readRecords } from './mft';
import { FLAG, RECORD, recordOf, sequenceOf, TYPE, undoFixup, parseAttributes, utf16 } from './record';
import { appendRun, type DataRun } from './runlist';
import { SECURITY_ID } from './security';
import { isoToFiletime } from './times';

const ROOT = 5;
const FOLDER_FLAG = 0x10000000;
const ARCHIVE = 0x20;
const POSIX = 0;
const DOS_SPACE = 2;
/** Content up to this stays in the record. */
const RESIDENT_LIMIT = 400;
const FORBIDDEN = /[\u0000-\u001f"*/:<>?\\|]/;
const ATTRIBUTE_BITS: Readonly<Record<string, number>> = { 'read-only': 1, hidden: 2, system: 4, archive: ARCHIVE };

interface OpenFolder {
  readonly number: number;
  readonly names: Map<string, IndexedName>;
  dirty: boolean;
}

/** Opens a writer. @throws CoreError `device.read-failed` or `fs.damaged` */
export async function openNtfsWriter(input: ChangeInput, upcase: Uint16Array, tx: Transaction): Promise<VolumeWriter> {
  const writer = new NtfsWriter(input, upcase, tx);
  await writer.load();
  return writer;
}

class NtfsWriter implements VolumeWriter {
  readonly #folders = new Map<number, OpenFolder>();
  readonly #paths = new Map<string, number>([['', ROOT]]);
  /** Sequence numbers of new folders, by record. */
  readonly #newFolders = new Map<number, number>();
  readonly #bitmap: Uint8Array;
  #edit!: MftEdit;
  #cursor = 0;
  #free = 0;

  constructor(
    private readonly input: ChangeInput,
    private readonly upcase: Uint16Array,
    private readonly tx: Transaction,
  ) {
    this.#bitmap = input.bitmap.slice();
    this.#free = this.#count - countSet(this.#bitmap, this.#count);
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
    this.#folder(parent).names.set(`${this.#fold(entry.name)}${entry.dos ? '\0dos' : ''}`, entry);
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
      this.#standard(facts, 0),
      { type: TYPE.fileName, value: key, indexed: true },
    ]);
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
    const attributes = [this.#standard(facts, ARCHIVE), { type: TYPE.fileName, value: key, indexed: true }, data];
    for (const stream of facts.streams ?? []) attributes.push(await this.#data(stream.name, stream.content, {}));
    this.#enter(parent, await this.#edit.create(FLAG.inUse, attributes), name, key);
  }

  /** Content in the record when it is short, else in clusters. */
  async #data(name: string, content: NewContent, facts: NewFileFacts): Promise<NewAttribute> {
    const size = lengthOf(content);
    if (content.kind === 'bytes' && size <= RESIDENT_LIMIT)
      return { type: TYPE.data, name, value: content.bytes.slice() };
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
    await this.#fill(runs, content, size);
    return { type: TYPE.data, runs, allocated: count * clusterSize, size };
  }

  async #fill(runs: readonly DataRun[], content: NewContent, size: number): Promise<void> {
    const { clusterSize } = this.input.geometry;
    let done = 0;
    for (const { lcn, length } of runs) {
      const room = length * clusterSize;
      const part = Math.min(room, size - done);
      const offset = lcn * clusterSize;
      if (content.kind === 'bytes') await this.tx.writeFree(offset, content.bytes.subarray(done, done + part));
      else await this.tx.placeFree(offset, part, content.seed, done);
      if (part < room) await this.tx.clearFree(offset + part, room - part);
      done += part;
    }
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
    if (name.length === 0 || name.length > 255 || FORBIDDEN.test(name) || /[. ]$/.test(name)) {
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

  #standard(facts: NewFileFacts, extra: number): NewAttribute {
    const value = new Uint8Array(72);
    const view = new DataView(value.buffer);
    writeTimes(view, 0, facts.times);
    view.setUint32(32, attributeBits(facts, extra), true);
    view.setUint32(52, SECURITY_ID.open, true);
    return { type: TYPE.standardInformation, value };
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
    writeTimes(view, 8, facts.times);
    view.setBigUint64(40, BigInt(allocated), true);
    view.setBigUint64(48, BigInt(size), true);
    view.setUint32(56, attributeBits(facts, folder ? 0 : ARCHIVE) | folder, true);
    value[64] = name.length;
    value[65] = POSIX;
    value.set(text, 66);
    return value;
  }

  #sequenceOf(number: number): number {
    return this.input.mft.files.get(number)?.sequence ?? this.#newFolders.get(number) ?? 1;
  }

  async finish(): Promise<void> {
    for (const folder of this.#folders.values()) if (folder.dirty) await this.#writeFolder(folder);
    await this.#edit.write(() => this.#bitmap, this.#count);
  }

  async #writeFolder(folder: OpenFolder): Promise<void> {
    const { geometry } = this.input;
    const file = await this.#edit.file(folder.number);
    // The clusters of the index that is built anew are free again, but not before the change is through.
    for (const run of file.runsOf(TYPE.indexAllocation, '$I30') ?? []) this.#edit.freeLater(run);
    const index = buildIndex([...folder.names.values()], geometry, (name) => this.#fold(name));
    const attributes: NewAttribute[] = [{ type: TYPE.indexRoot, name: '$I30', value: index.root }];
    if (index.blocks.length > 0) {
      const clusters = Math.ceil(index.blocks.length / geometry.clusterSize);
      const runs = this.#allocate(clusters, undefined);
      await this.#edit.fill(runs, index.blocks);
      const [size, allocated] = [index.blocks.length, clusters * geometry.clusterSize];
      attributes.push({ type: TYPE.indexAllocation, name: '$I30', runs, allocated, size });
      attributes.push({ type: TYPE.bitmap, name: '$I30', ...(await this.#indexBitmap(index.bitmap)) });
    }
    file.replace('$I30', [TYPE.indexRoot, TYPE.indexAllocation, TYPE.bitmap], attributes);
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

const lengthOf = (content: NewContent): number => (content.kind === 'bytes' ? content.bytes.length : content.size);

function attributeBits(facts: NewFileFacts, otherwise: number): number {
  if (!facts.attributes) return otherwise;
  return facts.attributes.reduce((bits, word) => bits | (ATTRIBUTE_BITS[word] ?? 0), 0);
}

function writeTimes(view: DataView, at: number, times: FileTimes = {}): void {
  const modified = isoToFiletime(times.modified);
  const list = [
    isoToFiletime(times.created ?? times.modified),
    modified,
    modified,
    isoToFiletime(times.accessed ?? times.modified),
  ];
  list.forEach((ticks, i) => view.setBigUint64(at + i * 8, ticks, true));
}
