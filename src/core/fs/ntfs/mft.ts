/**
 * One pass over the master file table: every file with its names and streams, and what is wrong. Linear in records.
 *
 * Linux-NTFS “NTFS Documentation”, chapters “$MFT”, “$FILE_NAME”, “$STANDARD_INFORMATION” and “$ATTRIBUTE_LIST”.
 * Extension records are joined to their base by the reference they carry, in order of their lowest VCN, so attribute
 * lists need not be followed; they are read only for the table's own extents, which are needed before the pass.
 */
import { struct, u32, u64, u8 } from '@/core/bytes';
import type { BlockDevice } from '@/core/device';
import { CoreError, type Finding } from '@/core/errors';
import type { FileTimes } from '../port';
import type { NtfsGeometry } from './boot-sector';
import { parseAttributeList, type ListedAttribute } from './attribute-list';
import {
  AttributeCursor,
  FLAG,
  parseAttributes,
  RECORD,
  recordOf,
  TYPE,
  undoFixup,
  utf16,
  type Attribute,
} from './record';
import { clustersOf, decodeRuns, type DataRun } from './runlist';
import { isoFromHalves } from './times';
import { readAcross, readAcrossInto } from './across';

const STANDARD = struct('standard information', 48, {
  created: u64(0),
  modified: u64(8),
  changed: u64(16),
  accessed: u64(24),
  attributes: u32(32),
});

const FILE_NAME = struct('file name', 66, { parent: u64(0), flags: u32(56), nameLength: u8(64), space: u8(65) });

/** The name space of 8.3 names, which only repeat a long one. */
const DOS_SPACE = 2;
const READ_BYTES = 4 * 1024 * 1024;
const MAX_FINDINGS = 1000;
const MAX_LIST_BYTES = 256 * 1024;

/** A name of a file in a folder. */
export interface NtfsName {
  readonly parent: number;
  readonly name: string;
}

/** A stream: its bytes if resident, else its runs. */
export class NtfsStream {
  constructor(
    readonly type: number,
    readonly name: string,
    readonly flags: number,
    readonly compressionUnit: number,
    /** Bytes of clusters set aside for it, holes of a sparse one included or not as its header says. */
    readonly allocated: number,
    readonly size: number,
    readonly initialised: number,
    readonly runs: readonly DataRun[],
    /** Where the bytes of a resident one are kept, with those of others. */
    private readonly shared: Uint8Array | undefined,
    private readonly from: number,
  ) {}

  get resident(): boolean {
    return this.shared !== undefined;
  }

  get value(): Uint8Array | undefined {
    return this.shared?.subarray(this.from, this.from + this.size);
  }

  /** The same stream with other runs. */
  over(runs: readonly DataRun[]): NtfsStream {
    const { type, name, flags, compressionUnit, allocated, size, initialised } = this;
    return new NtfsStream(type, name, flags, compressionUnit, allocated, size, initialised, runs, undefined, 0);
  }
}

/** Halves of three times a record: created, modified, accessed, low before high. */
const STAMP_WORDS = 6;

/** A base record in use, with what its extension records add. */
export class NtfsFile {
  sequence = -1;
  folder = false;
  links = 0;
  attributes = 0;
  stamped = false;
  /** The first name; most files have one, and a list for each would be a burden. The folder is -1 where there is none. */
  parent = -1;
  name = '';
  /** 8.3 names, which only repeat a long one. */
  shortNames: NtfsName[] = NONE;
  #furtherNames: NtfsName[] = NONE;
  #stream: NtfsStream | undefined = undefined;
  #furtherStreams: NtfsStream[] = NONE;
  /** Records that extend this one, in the order of the table. */
  extensions: number[] = NONE;

  constructor(
    readonly number: number,
    private readonly stamps: Uint32Array,
  ) {}

  get names(): NtfsName[] {
    return this.parent < 0 ? [] : [{ parent: this.parent, name: this.name }, ...this.#furtherNames];
  }

  get hasMoreNames(): boolean {
    return this.#furtherNames.length > 0;
  }

  addName(parent: number, name: string): void {
    if (this.parent >= 0) this.#furtherNames = added(this.#furtherNames, { parent, name });
    else {
      this.parent = parent;
      this.name = name;
    }
  }

  get streams(): NtfsStream[] {
    return this.#stream ? [this.#stream, ...this.#furtherStreams] : [];
  }

  set streams([first, ...further]: NtfsStream[]) {
    this.#stream = first;
    this.#furtherStreams = further.length > 0 ? further : NONE;
  }

  /** The stream, where there is one and no more. */
  get onlyStream(): NtfsStream | undefined {
    return this.#furtherStreams.length === 0 ? this.#stream : undefined;
  }

  addStream(stream: NtfsStream): void {
    if (this.#stream) this.#furtherStreams = added(this.#furtherStreams, stream);
    else this.#stream = stream;
  }

  get times(): FileTimes {
    if (!this.stamped) return {};
    const at = this.number * STAMP_WORDS;
    const time = (i: number): string | undefined => isoFromHalves(this.stamps[at + i]!, this.stamps[at + i + 1]!);
    return { created: time(0), modified: time(2), accessed: time(4) };
  }
}

export interface Mft {
  readonly files: Pick<FileTable, 'get' | 'values'>;
  /** Records that were ever set up; what the table has room for beyond them holds nothing. */
  readonly records: number;
  /** The extents of the table itself. */
  readonly tableRuns: readonly DataRun[];
  readonly findings: readonly Finding[];
}

/** A piece of a runlist that is in more than one record, or may be. */
interface Piece {
  readonly stream: NtfsStream;
  readonly lowestVcn: number;
}

/** Shared by the many files that have none, and never added to. */
const NONE: never[] = [];

/** The list with one more. A list that begins with its first item takes no room for others, and most have one. */
function added<T>(list: T[], item: T): T[] {
  if (list === NONE) return [item];
  list.push(item);
  return list;
}

/** “FILE” and “BAAD”, read as big-endian numbers. */
const FILE_MAGIC = 0x46494c45;
const BAAD_MAGIC = 0x42414144;
const ARENA_BYTES = 1024 * 1024;

/** The record number of a file reference: its lower 48 bits. */
function recordAt(view: DataView, at: number): number {
  return view.getUint32(at, true) + view.getUint16(at + 4, true) * 2 ** 32;
}

/** Room for many small values in few buffers. */
class Arena {
  #buffer = new Uint8Array();
  #used = 0;
  #last = 0;

  /** Where the last bytes that were kept begin. */
  get last(): number {
    return this.#last;
  }

  keep(bytes: Uint8Array, from: number, to: number): Uint8Array {
    const length = to - from;
    if (this.#used + length > this.#buffer.length) {
      this.#buffer = new Uint8Array(Math.max(ARENA_BYTES, length));
      this.#used = 0;
    }
    this.#last = this.#used;
    for (let i = 0; i < length; i++) this.#buffer[this.#used + i] = bytes[from + i]!;
    this.#used += length;
    return this.#buffer;
  }
}

/** Files by record number, as a plain list: a table is nearly full, and most of what is done goes over all of it. */
export class FileTable {
  readonly #slots: (NtfsFile | undefined)[];

  constructor(records: number) {
    this.#slots = new Array<NtfsFile | undefined>(records);
  }

  get(number: number): NtfsFile | undefined {
    return this.#slots[number];
  }

  /** @throws RangeError outside the table */
  put(file: NtfsFile): void {
    if (file.number >= this.#slots.length) throw new RangeError(`record ${file.number} is outside the table`);
    this.#slots[file.number] = file;
  }

  remove(number: number): void {
    this.#slots[number] = undefined;
  }

  *values(): Generator<NtfsFile> {
    for (const file of this.#slots) if (file) yield file;
  }
}

/** The table in long stretches of whole records, in order. A buffer is used again for the stretch after the next. */
async function* readChunks(
  device: BlockDevice,
  g: NtfsGeometry,
  runs: readonly DataRun[],
  count: number,
): AsyncGenerator<{ first: number; bytes: Uint8Array }> {
  const total = Math.min(clustersOf(runs) * g.clusterSize, count * g.recordSize);
  const chunk = Math.floor(READ_BYTES / g.recordSize) * g.recordSize;
  // Fresh buffers by the hundred would keep the garbage collector busier than the records do.
  const buffers = [new Uint8Array(Math.min(chunk, total)), new Uint8Array(Math.min(chunk, total))];
  const read = (offset: number): Promise<Uint8Array> | undefined => {
    if (offset + g.recordSize > total) return undefined;
    const into = buffers[(offset / chunk) % 2]!.subarray(0, Math.min(chunk, total - offset));
    const reading = readAcrossInto(device, runs, g.clusterSize, offset, into).then(() => into);
    // A failure shows where the stretch is asked for, which may be never.
    reading.catch(() => undefined);
    return reading;
  };
  // One stretch is read while the one before is looked at.
  for (let offset = 0, next = read(0); next; offset += chunk) {
    const bytes = await next;
    next = read(offset + chunk);
    yield { first: offset / g.recordSize, bytes };
  }
}

/** Every record of the table in order, as it is on the disk. */
export async function* readRecords(
  device: BlockDevice,
  g: NtfsGeometry,
  runs: readonly DataRun[],
  count: number,
): AsyncGenerator<{ number: number; bytes: Uint8Array }> {
  for await (const { first, bytes } of readChunks(device, g, runs, count)) {
    for (let at = 0; at + g.recordSize <= bytes.length; at += g.recordSize)
      yield { number: first + at / g.recordSize, bytes: bytes.subarray(at, at + g.recordSize) };
  }
}

/** Reads the whole table. @throws CoreError `fs.damaged` when the table itself can't be found */
export async function scanMft(device: BlockDevice, g: NtfsGeometry): Promise<Mft> {
  return new MftScan(device, g).run();
}

class MftScan {
  #files = new FileTable(0);
  /** Pieces of runlists of files with more than one record, by base record. */
  readonly #pieces = new Map<number, Piece[]>();
  readonly #findings: Finding[] = [];
  readonly #cursor = new AttributeCursor();
  readonly #arena = new Arena();
  #stamps = new Uint32Array();

  constructor(
    private readonly device: BlockDevice,
    private readonly g: NtfsGeometry,
  ) {}

  async run(): Promise<Mft> {
    const { runs: tableRuns, records } = await this.#table();
    const { recordSize } = this.g;
    this.#stamps = new Uint32Array(records * STAMP_WORDS);
    this.#files = new FileTable(records);
    for await (const { first, bytes } of readChunks(this.device, this.g, tableRuns, records)) {
      const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.length);
      for (let at = 0; at + recordSize <= bytes.length; at += recordSize)
        this.#record(first + at / recordSize, bytes, view, at);
    }
    for (const [base, pieces] of this.#pieces) this.#join(base, pieces);
    // What extends a record that is not in use belongs to nobody.
    for (const file of this.#files.values()) if (file.sequence < 0) this.#files.remove(file.number);
    return { files: this.#files, records, tableRuns, findings: this.#findings };
  }

  /** The extents of the table: from record 0, and from the extension records its attribute list names. */
  async #table(): Promise<{ runs: DataRun[]; records: number }> {
    const { recordSize, mftLcn, clusterSize } = this.g;
    const record = await this.device.bytes(mftLcn * clusterSize, recordSize);
    const attributes = this.#attributesOf(record);
    const pieces = attributes?.filter((a) => a.type === TYPE.data && a.name === '' && a.pairs) ?? [];
    const first = pieces[0]?.pairs && this.#runs(pieces[0].pairs);
    if (!first) throw this.#damaged('the first record of its master file table makes no sense', mftLcn * clusterSize);
    const list = attributes!.find((a) => a.type === TYPE.attributeList);
    const runs = [...first];
    const seen = new Set<number>([0]);
    for (const entry of list ? await this.#listed(list) : []) {
      const number = recordOf(entry.reference);
      if (entry.type !== TYPE.data || seen.has(number)) continue;
      seen.add(number);
      const extension = await readAcross(this.device, runs, clusterSize, number * recordSize, recordSize);
      const piece = this.#attributesOf(extension)?.find((a) => a.type === TYPE.data && a.name === '' && a.pairs);
      const more = piece?.pairs && this.#runs(piece.pairs);
      if (!more) throw this.#damaged(`record ${number}, which holds part of its master file table, makes no sense`, 0);
      for (const run of more) runs.push(run);
    }
    const { dataSize, initialisedSize } = pieces[0]!;
    const bytes = Math.min(clustersOf(runs) * clusterSize, dataSize, initialisedSize);
    return { runs, records: Math.floor(bytes / recordSize) };
  }

  async #listed(list: Attribute): Promise<ListedAttribute[]> {
    const bytes =
      list.value ??
      (await readAcross(
        this.device,
        (list.pairs && this.#runs(list.pairs)) ?? [],
        this.g.clusterSize,
        0,
        Math.min(list.dataSize, MAX_LIST_BYTES),
      ));
    return parseAttributeList(bytes);
  }

  #attributesOf(record: Uint8Array): Attribute[] | undefined {
    if (RECORD.decode(record).magic !== 'FILE' || undoFixup(record) !== 'ok') return undefined;
    return parseAttributes(record);
  }

  #runs(pairs: Uint8Array): DataRun[] | undefined {
    const { clusterCount } = this.g;
    // A sparse file may be far larger than its volume, but its size must be one that can be said exactly.
    const most = Math.ceil(Number.MAX_SAFE_INTEGER / this.g.clusterSize);
    return decodeRuns(pairs, clusterCount, most);
  }

  #record(number: number, bytes: Uint8Array, view: DataView, at: number): void {
    const magic = view.getUint32(at, false);
    if (magic !== FILE_MAGIC) {
      if (magic === BAAD_MAGIC) this.#find('error', 'ntfs.bad-record', `Record ${number} is marked as damaged.`);
      return;
    }
    const fixup = undoFixup(bytes, at, this.g.recordSize);
    const flags = view.getUint16(at + RECORD.offsets.flags, true);
    if ((flags & FLAG.inUse) === 0) return;
    if (fixup !== 'ok')
      return this.#find('error', 'ntfs.torn-record', `Record ${number} was torn while it was written.`);
    // The table's own record is number 0, so only a reference without a sequence number is none.
    const baseAt = at + RECORD.offsets.base;
    const own = view.getUint32(baseAt, true) === 0 && view.getUint32(baseAt + 4, true) === 0;
    const base = own ? number : recordAt(view, baseAt);
    if (base >= this.#stamps.length / STAMP_WORDS)
      return this.#find('error', 'ntfs.bad-record', `Record ${number} extends record ${base}, which is not there.`);
    const known = this.#files.get(base);
    // A record that others share a file with is looked over first; one that stands alone is let go when it is not whole.
    if (known && !this.#isWhole(bytes, view, at)) return this.#notWhole(number);
    const file = known ?? this.#begin(base);
    if (own) {
      file.sequence = view.getUint16(at + RECORD.offsets.sequence, true);
      file.folder = (flags & FLAG.folder) !== 0;
      file.links = view.getUint16(at + RECORD.offsets.links, true);
    } else {
      file.extensions = added(file.extensions, number);
      if (!this.#pieces.has(base)) this.#pieces.set(base, []);
    }
    this.#cursor.begin(bytes, view, at, this.g.recordSize);
    let step = this.#cursor.next();
    for (; step === 'attribute'; step = this.#cursor.next()) this.#attribute(file, view, bytes, number);
    if (step === 'end') return;
    this.#files.remove(base);
    this.#pieces.delete(base);
    this.#notWhole(number);
  }

  #notWhole(number: number): void {
    this.#find('error', 'ntfs.bad-record', `The attributes of record ${number} make no sense.`);
  }

  /** Nothing of a record counts unless all of it makes sense. */
  #isWhole(bytes: Uint8Array, view: DataView, at: number): boolean {
    this.#cursor.begin(bytes, view, at, this.g.recordSize);
    let step = this.#cursor.next();
    while (step === 'attribute') step = this.#cursor.next();
    return step === 'end';
  }

  #begin(base: number): NtfsFile {
    const file = new NtfsFile(base, this.#stamps);
    this.#files.put(file);
    return file;
  }

  #attribute(file: NtfsFile, view: DataView, bytes: Uint8Array, number: number): void {
    const { type, resident, bodyStart, bodyEnd } = this.#cursor;
    if (type === TYPE.standardInformation) {
      if (resident && bodyEnd - bodyStart >= STANDARD.size) this.#standard(file, view, bodyStart);
    } else if (type === TYPE.fileName) {
      if (resident && bodyEnd - bodyStart >= FILE_NAME.size) this.#name(file, view, bytes);
    } else this.#stream(file, bytes, number);
  }

  #standard(file: NtfsFile, view: DataView, at: number): void {
    const { attributes, created, modified, accessed } = STANDARD.offsets;
    file.attributes = view.getUint32(at + attributes, true);
    file.stamped = true;
    const to = file.number * STAMP_WORDS;
    this.#stamp(to, view, at + created);
    this.#stamp(to + 2, view, at + modified);
    this.#stamp(to + 4, view, at + accessed);
  }

  #stamp(to: number, view: DataView, at: number): void {
    this.#stamps[to] = view.getUint32(at, true);
    this.#stamps[to + 1] = view.getUint32(at + 4, true);
  }

  #name(file: NtfsFile, view: DataView, bytes: Uint8Array): void {
    const { bodyStart, bodyEnd } = this.#cursor;
    const from = bodyStart + FILE_NAME.size;
    const to = from + bytes[bodyStart + FILE_NAME.offsets.nameLength]! * 2;
    if (to > bodyEnd || to === from) return;
    const parent = recordAt(view, bodyStart + FILE_NAME.offsets.parent);
    const name = utf16(bytes, from, to);
    if (bytes[bodyStart + FILE_NAME.offsets.space] === DOS_SPACE)
      file.shortNames = added(file.shortNames, { parent, name });
    else file.addName(parent, name);
  }

  #stream(file: NtfsFile, bytes: Uint8Array, number: number): void {
    const c = this.#cursor;
    const runs = c.resident ? NONE : this.#runs(c.body);
    if (!runs)
      return this.#find('error', 'ntfs.bad-runs', `A runlist in record ${number} makes no sense or leaves the volume.`);
    const shared = c.resident ? this.#arena.keep(bytes, c.bodyStart, c.bodyEnd) : undefined;
    const { type, name, flags, compressionUnit, allocatedSize, dataSize, initialisedSize } = c;
    const stream = new NtfsStream(
      type,
      name,
      flags,
      compressionUnit,
      allocatedSize,
      dataSize,
      initialisedSize,
      runs,
      shared,
      this.#arena.last,
    );
    // The first record of a file comes before what extends it, or behind; only whole streams can be told apart at once.
    if (!c.resident && (c.lowestVcn > 0 || number !== file.number || file.extensions.length > 0))
      this.#pieceOf(file, { stream, lowestVcn: c.lowestVcn });
    else {
      file.addStream(stream);
      if (!c.resident) this.#measure(file.number, stream, clustersOf(runs));
    }
  }

  #pieceOf(file: NtfsFile, piece: Piece): void {
    const known = this.#pieces.get(file.number);
    if (known) known.push(piece);
    else this.#pieces.set(file.number, [piece]);
  }

  /** Puts the pieces of a file's runlists together, in order of their VCNs. */
  #join(base: number, pieces: readonly Piece[]): void {
    const file = this.#files.get(base)!;
    const firsts = file.streams.filter((s) => !s.resident).map((stream) => ({ stream, lowestVcn: 0 }));
    const streams = new Map<string, Piece[]>();
    for (const piece of [...firsts, ...pieces].sort((a, b) => a.lowestVcn - b.lowestVcn)) {
      const key = `${piece.stream.type}:${piece.stream.name}`;
      const known = streams.get(key);
      if (known) known.push(piece);
      else streams.set(key, [piece]);
    }
    const joined = [...streams.values()].map((list) => this.#joined(base, list));
    file.streams = [...file.streams.filter((s) => s.resident), ...joined];
  }

  #joined(base: number, pieces: readonly Piece[]): NtfsStream {
    const runs: DataRun[] = [];
    let vcn = 0;
    for (const { stream, lowestVcn } of pieces) {
      if (lowestVcn !== vcn) {
        this.#find('error', 'ntfs.gap', `A stream of record ${base} has a gap at cluster ${vcn}.`);
        break;
      }
      for (const run of stream.runs) runs.push(run);
      vcn += clustersOf(stream.runs);
    }
    const stream = pieces[0]!.stream.over(runs);
    this.#measure(base, stream, vcn);
    return stream;
  }

  #measure(number: number, { size }: NtfsStream, clusters: number): void {
    const held = clusters * this.g.clusterSize;
    if (size <= held) return;
    // The first piece of a longer runlist is measured once it is whole.
    if (this.#files.get(number)?.streams.some((s) => s.type === TYPE.attributeList)) return;
    this.#find(
      'error',
      'ntfs.short',
      `A stream of record ${number} says it has ${size} bytes and its runs hold ${held}.`,
    );
  }

  #find(severity: Finding['severity'], code: string, message: string): void {
    if (this.#findings.length < MAX_FINDINGS) this.#findings.push({ severity, code, message });
  }

  #damaged(reason: string, offset: number): CoreError {
    return new CoreError('fs.damaged', { fileSystem: 'NTFS', reason, offset });
  }
}
