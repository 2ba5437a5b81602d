/**
 * One pass over the master file table: every file with its names and streams, and what is wrong. Linear in records.
 *
 * Linux-NTFS “NTFS Documentation”, chapters “$MFT” and “$ATTRIBUTE_LIST”.
 * Extension records are joined to their base by the reference they carry, in order of their lowest VCN, so attribute
 * lists need not be followed; they are read only for the table's own extents, which are needed before the pass.
 */
import type { BlockDevice } from '@/core/device';
import type { Finding } from '@/core/errors';
import { damaged } from './damaged';
import { readAcross, readAcrossInto } from './across';
import { parseAttributeList, type ListedAttribute } from './attribute-list';
import type { NtfsGeometry } from './boot-sector';
import { added, NtfsFile, type NtfsStream } from './file';
import { FileTable } from './file-table';
import { parseAttributes, type Attribute } from './attribute-cursor';
import { FLAG, RECORD, recordOf, TYPE, undoFixup } from './record';
import { recordAt, RecordReader, Sight, type RecordPlace } from './record-reader';
import { clustersOf, decodeRuns, type DataRun } from './runlist';

const READ_BYTES = 1024 * 1024;
const MAX_FINDINGS = 1000;
const MAX_LIST_BYTES = 256 * 1024;

export interface Mft {
  readonly files: Pick<FileTable, 'get' | 'values' | 'glance' | 'isFolder' | 'sequenceOf'>;
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

/** “FILE” and “BAAD”, read as big-endian numbers. */
const FILE_MAGIC = 0x46494c45;
const BAAD_MAGIC = 0x42414144;

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
  readonly #reader: RecordReader;
  readonly #sight = new Sight();
  #files: FileTable;
  /** Pieces of runlists of files with more than one record, by base record. */
  readonly #pieces = new Map<number, Piece[]>();
  readonly #findings: Finding[] = [];

  constructor(
    private readonly device: BlockDevice,
    private readonly g: NtfsGeometry,
  ) {
    this.#reader = new RecordReader(g);
    this.#files = new FileTable(0, this.#reader);
  }

  async run(): Promise<Mft> {
    const { runs: tableRuns, records } = await this.#table();
    const { recordSize } = this.g;
    this.#files = new FileTable(records, this.#reader);
    for await (const { first, bytes } of readChunks(this.device, this.g, tableRuns, records)) {
      const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.length);
      for (let at = 0; at + recordSize <= bytes.length; at += recordSize)
        this.#record(first + at / recordSize, { bytes, view, at });
    }
    for (const [base, pieces] of this.#pieces) this.#join(base, pieces);
    // What extends a record that is not in use belongs to nobody.
    for (const file of [...this.#files.whole()]) if (file.sequence < 0) this.#files.remove(file.number);
    return { files: this.#files, records, tableRuns, findings: this.#findings };
  }

  /** The extents of the table: from record 0, and from the extension records its attribute list names. */
  async #table(): Promise<{ runs: DataRun[]; records: number }> {
    const { recordSize, mftLcn, clusterSize } = this.g;
    const record = await this.device.bytes(mftLcn * clusterSize, recordSize);
    const attributes = this.#attributesOf(record);
    const pieces = attributes?.filter((a) => a.type === TYPE.data && a.name === '' && a.pairs) ?? [];
    const first = pieces[0]?.pairs && this.#runs(pieces[0].pairs);
    if (!first) throw damaged('the first record of its master file table makes no sense', mftLcn * clusterSize);
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
      if (!more) throw damaged(`record ${number}, which holds part of its master file table, makes no sense`);
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

  #record(number: number, record: RecordPlace): void {
    const { bytes, view, at } = record;
    const magic = view.getUint32(at, false);
    if (magic !== FILE_MAGIC) {
      if (magic === BAAD_MAGIC) this.#find('error', 'ntfs.bad-record', `Record ${number} is marked as damaged.`);
      return;
    }
    const fixup = undoFixup(bytes, at, this.g.recordSize);
    if ((view.getUint16(at + RECORD.offsets.flags, true) & FLAG.inUse) === 0) return;
    if (fixup !== 'ok')
      return this.#find('error', 'ntfs.torn-record', `Record ${number} was torn while it was written.`);
    // The table's own record is number 0, so only a reference without a sequence number is none.
    const baseAt = at + RECORD.offsets.base;
    const own = view.getUint32(baseAt, true) === 0 && view.getUint32(baseAt + 4, true) === 0;
    const base = own ? number : recordAt(view, baseAt);
    if (base >= this.#files.records)
      return this.#find('error', 'ntfs.bad-record', `Record ${number} extends record ${base}, which is not there.`);
    if (!this.#reader.look(record, this.#sight))
      return this.#find('error', 'ntfs.bad-record', `The attributes of record ${number} make no sense.`);
    const known = this.#files.get(base);
    if (this.#sight.plain && own && !known) return this.#files.putPlain(number, record, this.#sight);
    const kept = bytes.slice(at, at + this.g.recordSize);
    const place = { bytes: kept, view: new DataView(kept.buffer), at: 0 };
    this.#add(known ?? new NtfsFile(base), own ? undefined : number, place);
  }

  /** Adds what a record says, the base or an extension, to a file with several or with something wrong in it. */
  #add(file: NtfsFile, extension: number | undefined, record: RecordPlace): void {
    this.#files.putWhole(file);
    if (extension === undefined) this.#reader.header(file, record);
    else {
      file.extensions = added(file.extensions, extension);
      if (!this.#pieces.has(file.number)) this.#pieces.set(file.number, []);
    }
    this.#reader.record(file, record, {
      take: (stream, lowestVcn, clusters) => {
        // The first record of a file comes before what extends it, or behind; only whole streams can be told apart at once.
        const piece = !stream.resident && (lowestVcn > 0 || file.extensions.length > 0);
        if (piece) return this.#pieceOf(file, { stream, lowestVcn });
        file.addStream(stream);
        if (!stream.resident) this.#measure(file.number, stream, clusters);
      },
      badRuns: () =>
        this.#find(
          'error',
          'ntfs.bad-runs',
          `A runlist in record ${extension ?? file.number} makes no sense or leaves the volume.`,
        ),
    });
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
}
