/**
 * A file's attributes over all of its records, changed as a whole and put back in as few records as they need.
 *
 * Linux-NTFS “NTFS Documentation”, chapters “FILE Record”, “$ATTRIBUTE_LIST” and “Attribute Header”. Attributes that do
 * not fit the base record go to extension records; a runlist too long for one record is cut into pieces by VCN. The
 * base record then lists every attribute with the record it is in, in a list that stands in the record or in clusters.
 */
import { CoreError } from '@/core/errors';
import { serialiseAttributeList } from './attribute-list';
import {
  attributesStart,
  buildAttribute,
  emptyRecord,
  layAttributes,
  referenceTo,
  type NewAttribute,
} from './build-record';
import { damaged } from './damaged';
import { holdNew, join, piecesOf, runsIn, valueIn, type RecordSizes } from './held-attributes';
import { FLAG, NON_RESIDENT, RECORD, RESIDENT, TYPE } from './record';
import { freedRecord, packRecords, wholeAttribute, type HeldAttribute, type PackedRecord } from './record-packer';
import { clustersOf, type DataRun } from './runlist';

/** The end mark and what pads it. */
const END_BYTES = 8;
/** A list up to this stays in the base record; one in clusters takes less room there than this. */
const RESIDENT_LIST = 256;
const RESIDENT_HEADER = 24;
const MAX_EXTENSIONS = 20_000;
/** In the value of a name: its name space, and that of 8.3 names. */
const NAME_SPACE_AT = 65;
const DOS_SPACE = 2;

/** Sizes of a non-resident attribute that change with its runs, in bytes. */
export interface RunSizes {
  readonly allocated?: number;
  readonly size?: number;
  readonly initialised?: number;
}

/** What putting a file back may ask of its volume. */
export interface RecordSource {
  /** A free record, its number under `below` where that matters. */
  take(below?: number): Promise<{ readonly number: number; readonly sequence: number }>;
  /** Free clusters, marked as taken. */
  allocate(clusters: number): DataRun[];
  /** Clusters that are free once the change is through. */
  freeLater(run: DataRun): void;
  /** Puts bytes into clusters that were allocated, and zeros behind them. */
  fill(runs: readonly DataRun[], bytes: Uint8Array): Promise<void>;
}

/** A record as it is on the disk, by number; the buffer is the caller's. */
export type ReadRecord = (number: number) => Promise<Uint8Array>;

/** A file's records as they are to be. */
export interface BuiltFile {
  readonly records: ReadonlyMap<number, Uint8Array>;
  /** Extension records that are no longer needed; they are among `records`, marked as free. */
  readonly freed: readonly number[];
}

export class FileRecords {
  private constructor(
    readonly number: number,
    /** The base record with its update sequence undone; its header is kept. */
    private readonly base: Uint8Array,
    private readonly extensions: ReadonlyMap<number, Uint8Array>,
    private held: HeldAttribute[],
    private readonly listRuns: readonly DataRun[],
    private readonly sizes: RecordSizes,
  ) {}

  /** Reads a file's records. @throws CoreError `fs.damaged` */
  static async load(
    number: number,
    extensions: readonly number[],
    read: ReadRecord,
    sizes: RecordSizes,
  ): Promise<FileRecords> {
    if (extensions.length > MAX_EXTENSIONS) throw damaged(`record ${number} has too many others`);
    const base = await read(number);
    const pieces = piecesOf(number, base);
    const kept = new Map<number, Uint8Array>();
    for (const extension of extensions) {
      const bytes = await read(extension);
      pieces.push(...piecesOf(extension, bytes));
      kept.set(extension, bytes);
    }
    const list = pieces.find((p) => p.attribute.type === TYPE.attributeList);
    const held = join(
      pieces.filter((p) => p !== list),
      number,
      sizes,
    );
    const listRuns = list?.attribute.pairs ? runsIn(list.attribute, number, sizes) : [];
    return new FileRecords(number, base, kept, held, listRuns, sizes);
  }

  /** A new file. */
  static create(
    number: number,
    sequence: number,
    flags: number,
    attributes: readonly NewAttribute[],
    sizes: RecordSizes,
  ): FileRecords {
    const links = attributes.filter((a) => a.type === TYPE.fileName).length;
    const base = emptyRecord({ number, sequence, flags, links, base: 0n }, sizes.recordSize);
    return new FileRecords(number, base, new Map(), attributes.map(holdNew), [], sizes);
  }

  get sequence(): number {
    return RECORD.decode(this.base).sequence;
  }

  /** The runs of a stream, or undefined when it is resident or not there. */
  runsOf(type: number, name = ''): readonly DataRun[] | undefined {
    return this.#find(type, name)?.runs;
  }

  /** The bytes of a stream with runs, or 0. */
  sizeOf(type: number, name = ''): number {
    const held = this.#find(type, name);
    return held?.runs ? Number(NON_RESIDENT.decode(held.head).dataSize) : 0;
  }

  /** The value of a resident attribute, to be changed in place, or undefined. */
  valueOf(type: number, name = ''): Uint8Array | undefined {
    const held = this.#find(type, name);
    if (!held || held.runs) return undefined;
    const { valueLength, valueOffset } = RESIDENT.decode(held.head);
    return held.head.subarray(valueOffset, valueOffset + valueLength);
  }

  /** Gives a stream with runs other ones. @throws RangeError when there is none */
  setRuns(type: number, name: string, runs: readonly DataRun[], { allocated, size, initialised }: RunSizes = {}): void {
    const held = this.#find(type, name);
    if (!held?.runs) throw new RangeError(`record ${this.number} has no such stream`);
    const head = held.head.slice();
    NON_RESIDENT.encode(
      {
        ...(allocated === undefined ? {} : { allocatedSize: BigInt(allocated) }),
        ...(size === undefined ? {} : { dataSize: BigInt(size) }),
        ...(initialised === undefined ? {} : { initialisedSize: BigInt(initialised) }),
      },
      head,
    );
    this.held = this.held.map((h) => (h === held ? { ...held, head, runs } : h));
  }

  /** Takes out the attributes of a name and these types and puts others in their place. */
  replace(name: string, types: readonly number[], attributes: readonly NewAttribute[]): void {
    const kept = this.held.filter((h) => h.name !== name || !types.includes(h.type));
    this.held = [...kept, ...attributes.map(holdNew)];
  }

  /** All it has, each attribute whole. */
  get attributes(): readonly HeldAttribute[] {
    return this.held;
  }

  get flags(): number {
    return RECORD.decode(this.base).flags;
  }

  /** The values of its names. */
  names(): Uint8Array[] {
    return this.held.filter((h) => h.type === TYPE.fileName).map(valueIn);
  }

  /** Takes over attributes of a file of another volume as they are. */
  hold(attributes: readonly HeldAttribute[]): void {
    this.held = [...this.held, ...attributes];
  }

  /** Gives the file one more name: the value of a file-name attribute. */
  addName(value: Uint8Array): void {
    this.held = [...this.held, holdNew({ type: TYPE.fileName, value, indexed: true })];
    this.#setLinks();
  }

  /** Takes names away, and says how many are left that are no 8.3 ones. */
  removeNames(gone: (value: Uint8Array) => boolean): number {
    this.held = this.held.filter((h) => h.type !== TYPE.fileName || !gone(valueIn(h)));
    this.#setLinks();
    return this.held.filter((h) => h.type === TYPE.fileName && valueIn(h)[NAME_SPACE_AT] !== DOS_SPACE).length;
  }

  #setLinks(): void {
    const links = this.held.filter((h) => h.type === TYPE.fileName).length;
    RECORD.encode({ links }, this.base);
  }

  /** The file is gone: its records are free, and all its clusters. */
  erase(source: Pick<RecordSource, 'freeLater'>): BuiltFile {
    for (const run of [...this.listRuns, ...this.held.flatMap((h) => h.runs ?? [])])
      if (run.lcn >= 0) source.freeLater(run);
    const all = [[this.number, this.base] as const, ...this.extensions];
    return {
      records: new Map(all.map(([number, record]) => [number, freedRecord(number, record)])),
      freed: all.map(([number]) => number),
    };
  }

  #find(type: number, name: string): HeldAttribute | undefined {
    return this.held.find((h) => h.type === type && h.name === name);
  }

  /** The records for the disk. @throws CoreError `fs.record-full` when an attribute fits no record */
  async build(source: RecordSource): Promise<BuiltFile> {
    const sorted = [...this.held].sort((a, b) => a.type - b.type || byName(a.name, b.name));
    const base = this.#emptyBin(this.number, this.sequence);
    for (const run of this.listRuns) if (run.lcn >= 0) source.freeLater(run);
    const records = new Map<number, Uint8Array>();
    const unused = [...this.extensions.keys()];
    const whole = sorted.map((held) => ({ held, raw: wholeAttribute(held), lowestVcn: 0 }));
    if (whole.reduce((sum, part) => sum + part.raw.length, 0) <= base.left) {
      base.parts.push(...whole);
      records.set(this.number, this.#baseRecord(base, undefined));
    } else {
      base.left -= RESIDENT_HEADER + RESIDENT_LIST;
      const { recordSize, clusterSize } = this.sizes;
      const more = (below: number | undefined): Promise<PackedRecord> => this.#more(unused, source, below);
      const packed = await packRecords(sorted, { fileNumber: this.number, base, recordSize, clusterSize, more });
      records.set(this.number, this.#baseRecord(base, await this.#list(packed, source)));
      for (const bin of packed.slice(1)) records.set(bin.number, this.#extensionRecord(bin));
    }
    for (const number of unused) records.set(number, freedRecord(number, this.extensions.get(number)!));
    return { records, freed: unused };
  }

  /** A record for more attributes: one the file has already, else a free one. */
  async #more(unused: number[], source: RecordSource, below: number | undefined): Promise<PackedRecord> {
    const at = unused.findIndex((n) => below === undefined || n < below);
    if (at < 0) {
      const { number, sequence } = await source.take(below);
      return this.#emptyBin(number, sequence);
    }
    const [number] = unused.splice(at, 1) as [number];
    return this.#emptyBin(number, RECORD.decode(this.extensions.get(number)!).sequence);
  }

  #emptyBin(number: number, sequence: number): PackedRecord {
    const { recordSize } = this.sizes;
    const own = number === this.number;
    const offset = own ? RECORD.decode(this.base).attributesOffset : attributesStart(recordSize);
    return { number, sequence, parts: [], left: recordSize - offset - END_BYTES };
  }

  async #list(packed: readonly PackedRecord[], source: RecordSource): Promise<NewAttribute> {
    const entries = packed.flatMap(({ number, sequence, parts }) =>
      parts.map(({ held, lowestVcn }, id) => {
        const { type, name } = held;
        return { type, name, lowestVcn, reference: referenceTo(number, sequence), id };
      }),
    );
    entries.sort((a, b) => a.type - b.type || byName(a.name, b.name) || a.lowestVcn - b.lowestVcn);
    const bytes = serialiseAttributeList(entries);
    if (bytes.length <= RESIDENT_LIST) return { type: TYPE.attributeList, value: bytes };
    const runs = source.allocate(Math.ceil(bytes.length / this.sizes.clusterSize));
    await source.fill(runs, bytes);
    const allocated = clustersOf(runs) * this.sizes.clusterSize;
    return { type: TYPE.attributeList, runs, allocated, size: bytes.length };
  }

  #baseRecord(bin: PackedRecord, list: NewAttribute | undefined): Uint8Array {
    const out = this.base.slice();
    const parts = bin.parts.map(({ held, raw }, id) => ({ type: held.type, raw, id }));
    if (list) {
      const at = parts.filter((p) => p.type < list.type).length;
      const raw = buildAttribute(list, parts.length);
      if (raw.length > RESIDENT_HEADER + RESIDENT_LIST) throw new CoreError('fs.record-full', { record: this.number });
      parts.splice(at, 0, { type: list.type, raw, id: parts.length });
    }
    layAttributes(out, parts);
    return out;
  }

  #extensionRecord({ number, sequence, parts }: PackedRecord): Uint8Array {
    const base = referenceTo(this.number, this.sequence);
    const out = emptyRecord({ number, sequence, flags: FLAG.inUse, links: 0, base }, this.sizes.recordSize);
    layAttributes(
      out,
      parts.map(({ raw }, id) => ({ raw, id })),
    );
    return out;
  }
}

/** Attributes of a type stand by name, in capitals; their own names are plain letters. */
function byName(a: string, b: string): number {
  const [x, y] = [a.toUpperCase(), b.toUpperCase()];
  return x < y ? -1 : x > y ? 1 : 0;
}
