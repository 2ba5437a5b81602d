/**
 * A change to the records of a volume: the files it touches, records taken and given back, the table's own growth, and
 * the bitmaps and the mirror that go with them. Nothing is written before {@link MftEdit.write}.
 */
import { damaged } from './damaged';
import { sameBytes } from '@/core/bytes';
import { CoreError } from '@/core/errors';
import type { Transaction } from '../port';
import { readAcross, writeAcross } from './across';
import { isSet, setBits } from '../bitmap';
import { buildRecord, type NewAttribute } from './build-record';
import type { NtfsGeometry } from './boot-sector';
import { FileRecords, type RecordSource } from './file-records';
import { RECORD, TYPE } from './record';
import { GROW_RECORDS } from './kinds';
import { appendRun, clustersOf, type DataRun } from './runlist';
import type { ChangeInput } from './change';

export const MFT = 0;
export const MIRROR = 1;
export const BITMAP = 6;
/** Records before these are the system's, or kept for the table's own extensions. */
const FIRST_USER_RECORD = 24;
const FIRST_RESERVED_RECORD = 16;
const BITMAP_CHUNK = 4096;

/** Gives free clusters and marks them as taken in the bitmap that will be written. @throws CoreError `fs.full` */
export type AllocateClusters = (count: number) => DataRun[];

export class MftEdit implements RecordSource {
  readonly #files = new Map<number, FileRecords>();
  readonly #freed: DataRun[] = [];
  readonly #cleared: DataRun[] = [];
  readonly #erased = new Set<number>();
  /** Where the table lies now, for reading. */
  readonly #original: readonly DataRun[];
  #table: DataRun[] = [];
  #bits: Uint8Array = new Uint8Array();
  #bitsRuns: DataRun[] = [];
  #records: number;
  #next = FIRST_USER_RECORD;

  private constructor(
    private readonly input: ChangeInput,
    private readonly tx: Transaction,
    readonly allocate: AllocateClusters,
  ) {
    this.#original = input.mft.tableRuns;
    this.#records = input.mft.records;
  }

  /** @throws CoreError `fs.damaged` */
  static async open(input: ChangeInput, tx: Transaction, allocate: AllocateClusters): Promise<MftEdit> {
    const edit = new MftEdit(input, tx, allocate);
    const own = await edit.file(MFT);
    const bitsRuns = own.runsOf(TYPE.bitmap);
    if (!bitsRuns) throw damaged('the bitmap of its master file table is missing');
    const { clusterSize } = input.geometry;
    edit.#bits = await readAcross(input.device, bitsRuns, clusterSize, 0, clustersOf(bitsRuns) * clusterSize);
    edit.#bits.fill(0, own.sizeOf(TYPE.bitmap));
    // A record that is in use is never given away, whatever the bitmap says.
    for (const { number, extensions } of input.mft.files.values())
      for (const n of [number, ...extensions]) if (n < edit.#bits.length * 8) setBits(edit.#bits, n, n + 1, true);
    edit.#moved(own);
    return edit;
  }

  get #g(): NtfsGeometry {
    return this.input.geometry;
  }

  /** A file's records, to be changed; what is changed is written. */
  async file(number: number): Promise<FileRecords> {
    const known = this.#files.get(number);
    if (known) return known;
    const extensions = this.input.mft.files.get(number)?.extensions ?? [];
    const file = await FileRecords.load(number, extensions, (n) => this.#read(n), this.#g);
    this.#files.set(number, file);
    return file;
  }

  /** Adds a file in a free record. */
  async create(flags: number, attributes: readonly NewAttribute[]): Promise<FileRecords> {
    const { number, sequence } = await this.take();
    const file = FileRecords.create(number, sequence, flags, attributes, this.#g);
    this.#files.set(number, file);
    return file;
  }

  /** Takes a file away, with all it has; {@link MftEdit.file} was asked for it before. */
  erase(number: number): void {
    this.#erased.add(number);
  }

  async take(below?: number): Promise<{ number: number; sequence: number }> {
    const number = below === undefined ? this.#nextFree() : this.#freeUnder(below);
    setBits(this.#bits, number, number + 1, true);
    return { number, sequence: await this.#nextSequence(number) };
  }

  #nextFree(): number {
    while (this.#next < this.#records && isSet(this.#bits, this.#next)) this.#next += 1;
    if (this.#next >= this.#records) this.#grow();
    return this.#next;
  }

  #freeUnder(below: number): number {
    const end = Math.min(below, this.input.mft.records);
    for (let number = FIRST_RESERVED_RECORD; number < end; number++) if (!isSet(this.#bits, number)) return number;
    throw new CoreError('fs.record-full', { record: MFT });
  }

  /** A free record was used before; its sequence number must not come again. */
  async #nextSequence(number: number): Promise<number> {
    if (number >= this.input.mft.records) return 1;
    const header = RECORD.decode(await this.#read(number));
    return header.magic === 'FILE' ? Math.max(1, header.sequence) : 1;
  }

  /** More records, in the room that the table has or in fresh clusters. */
  #grow(): void {
    const { recordSize, clusterSize } = this.#g;
    const inTable = (): number => Math.floor((clustersOf(this.#table) * clusterSize) / recordSize);
    if (this.#records === inTable()) {
      for (const run of this.allocate(Math.ceil((GROW_RECORDS * recordSize) / clusterSize))) {
        appendRun(this.#table, run);
        this.#cleared.push(run);
      }
    }
    this.#records = Math.min(inTable(), this.#records + GROW_RECORDS);
    while (this.#records > this.#bits.length * 8) {
      for (const run of this.allocate(1)) {
        appendRun(this.#bitsRuns, run);
        this.#cleared.push(run);
      }
      const longer = new Uint8Array(this.#bits.length + clusterSize);
      longer.set(this.#bits);
      this.#bits = longer;
    }
  }

  freeLater(run: DataRun): void {
    this.#freed.push(run);
  }

  async fill(runs: readonly DataRun[], bytes: Uint8Array): Promise<void> {
    const { clusterSize } = this.#g;
    let done = 0;
    for (const { lcn, length } of runs) {
      const part = bytes.subarray(done, done + length * clusterSize);
      await this.tx.writeFree(lcn * clusterSize, part);
      if (part.length < length * clusterSize)
        await this.tx.clearFree(lcn * clusterSize + part.length, length * clusterSize - part.length);
      done += part.length;
    }
  }

  /** Takes over where the table and its bitmap were carried to. */
  #moved(own: FileRecords): void {
    this.#table = [...(own.runsOf(TYPE.data) ?? [])];
    this.#bitsRuns = [...(own.runsOf(TYPE.bitmap) ?? [])];
  }

  /** To be told when the runs of the table or of its bitmap were changed. */
  async tableMoved(): Promise<void> {
    this.#moved(await this.file(MFT));
  }

  /** Where the table begins once the change is through. */
  get tableLcn(): number {
    return this.#table[0]!.lcn;
  }

  #read(number: number): Promise<Uint8Array> {
    const { recordSize, clusterSize } = this.#g;
    return readAcross(this.input.device, this.#original, clusterSize, number * recordSize, recordSize);
  }

  /** Writes every changed file, the table's growth, both bitmaps and the mirror. `bitmap` is the one to be. */
  async write(bitmap: () => Uint8Array, clusterCount: number): Promise<void> {
    const records = new Map<number, Uint8Array>();
    const add = async (file: FileRecords): Promise<void> => {
      const built = this.#erased.has(file.number) ? file.erase(this) : await file.build(this);
      for (const [number, bytes] of built.records) records.set(number, bytes);
      for (const number of built.freed) setBits(this.#bits, number, number + 1, false);
    };
    for (const [number, file] of [...this.#files].sort(([a], [b]) => a - b)) if (number !== MFT) await add(file);
    await this.#sizeTable();
    await add(await this.file(MFT));
    for (let number = this.input.mft.records; number < this.#records; number++)
      if (!records.has(number)) records.set(number, blankRecord(number, this.#g.recordSize));
    const { clusterSize } = this.#g;
    for (const { lcn, length } of this.#cleared) await this.tx.clearFree(lcn * clusterSize, length * clusterSize);
    for (const { lcn, length } of this.#freed)
      setBits(bitmap(), lcn, Math.min(lcn + length, Math.max(lcn, clusterCount)), false);
    await this.#writeRecords(records);
    await writeAcross(this.tx, this.#bitsRuns, clusterSize, 0, this.#bits);
    await this.#writeBitmap(bitmap());
  }

  /** The cluster bitmap, where it differs from what was there; whole when its own place changed. */
  async #writeBitmap(bitmap: Uint8Array): Promise<void> {
    const { clusterSize } = this.#g;
    const runs = (await this.file(BITMAP)).runsOf(TYPE.data) ?? [];
    const before = this.input.mft.files.get(BITMAP)?.streams.find((s) => s.type === TYPE.data && s.name === '')?.runs;
    const there = JSON.stringify(before) === JSON.stringify(runs) ? this.input.bitmap : new Uint8Array();
    for (let at = 0; at < bitmap.length; at += BITMAP_CHUNK) {
      const part = bitmap.subarray(at, at + BITMAP_CHUNK);
      const old = there.subarray(at, at + part.length);
      if (!sameBytes(part, old)) await writeAcross(this.tx, runs, clusterSize, at, part);
    }
  }

  /** Gives the table's record its runs and sizes, where they changed. */
  async #sizeTable(): Promise<void> {
    const { recordSize, clusterSize } = this.#g;
    const own = await this.file(MFT);
    if (this.#records === this.input.mft.records) return;
    const size = this.#records * recordSize;
    const allocated = clustersOf(this.#table) * clusterSize;
    const length = Math.max(size, own.sizeOf(TYPE.data));
    own.setRuns(TYPE.data, '', this.#table, { allocated, size: length, initialised: size });
    const bitBytes = Math.max(Math.ceil(this.#records / 64) * 8, own.sizeOf(TYPE.bitmap));
    const sizes = { allocated: this.#bits.length, size: bitBytes, initialised: bitBytes };
    own.setRuns(TYPE.bitmap, '', this.#bitsRuns, sizes);
  }

  async #writeRecords(records: ReadonlyMap<number, Uint8Array>): Promise<void> {
    const { recordSize, clusterSize } = this.#g;
    const mirror = await this.file(MIRROR);
    const mirrorRuns = mirror.runsOf(TYPE.data);
    if (!mirrorRuns) throw damaged('the mirror of its master file table is missing');
    const mirrored = Math.floor(mirror.sizeOf(TYPE.data) / recordSize);
    for (const [number, bytes] of [...records].sort(([a], [b]) => a - b)) {
      await writeAcross(this.tx, this.#table, clusterSize, number * recordSize, bytes);
      if (number < mirrored) await writeAcross(this.tx, mirrorRuns, clusterSize, number * recordSize, bytes);
    }
  }
}

function blankRecord(number: number, size: number): Uint8Array {
  return buildRecord({ number, sequence: 1, flags: 0, links: 0, attributes: [] }, size);
}
