/** Free records of the master file table, and the table's own growth when there are none. */
import { CoreError } from '@/core/errors';
import type { Transaction } from '../port';
import { isSet, setBits } from './bitmap';
import { buildRecord } from './build-record';
import { readAcross, writeAcross } from './across';
import type { NtfsGeometry } from './boot-sector';
import { RECORD, TYPE } from './record';
import { RecordEditor } from './record-editor';
import { decodeRuns, type DataRun } from './runlist';
import type { ResizeInput } from './resize';

const MFT = 0;
const MIRROR = 1;
const BITMAP = 6;
const FIRST_USER_RECORD = 24;
/** Records the table grows by at a time. */
const GROW_RECORDS = 256;

/** A record that was taken. */
export interface TakenRecord {
  readonly number: number;
  readonly sequence: number;
}

export class MftSpace {
  readonly #freed: DataRun[] = [];
  #records: number;
  #next = FIRST_USER_RECORD;
  #grown: DataRun[] = [];

  private constructor(
    private readonly input: ResizeInput,
    private readonly table: DataRun[],
    private bits: Uint8Array,
    private readonly bitsRuns: DataRun[],
  ) {
    this.#records = input.mft.records;
  }

  static async open(input: ResizeInput): Promise<MftSpace> {
    const { device, geometry, mft } = input;
    const editor = new RecordEditor(MFT, await readAt(input, mft.tableRuns, 0));
    const attribute = editor.attributes.find((a) => a.type === TYPE.bitmap);
    const runs = attribute?.pairs && decodeRuns(attribute.pairs, geometry.clusterCount, Number.MAX_SAFE_INTEGER);
    if (!attribute || !runs)
      throw new CoreError('fs.damaged', {
        fileSystem: 'NTFS',
        reason: 'the bitmap of its master file table is missing',
        offset: 0,
      });
    const length = runs.reduce((sum, r) => sum + r.length, 0) * geometry.clusterSize;
    const bytes = await readAcross(device, runs, geometry.clusterSize, 0, length);
    bytes.fill(0, attribute.dataSize);
    return new MftSpace(input, [...mft.tableRuns], bytes, runs);
  }

  get #g(): NtfsGeometry {
    return this.input.geometry;
  }

  /** The next free record. `allocate` gives clusters when the table has to grow. */
  async take(allocate: (clusters: number) => DataRun[]): Promise<TakenRecord> {
    while (this.#next < this.#records && isSet(this.bits, this.#next)) this.#next += 1;
    if (this.#next >= this.#records) this.#grow(allocate);
    const number = this.#next;
    setBits(this.bits, number, number + 1, true);
    return { number, sequence: number < this.input.mft.records ? await this.#nextSequence(number) : 1 };
  }

  /** A free record was used before; its sequence number must not come again. */
  async #nextSequence(number: number): Promise<number> {
    const header = RECORD.decode(await this.read(number));
    return header.magic === 'FILE' ? Math.max(1, header.sequence) : 1;
  }

  #grow(allocate: (clusters: number) => DataRun[]): void {
    const { recordSize, clusterSize } = this.#g;
    const clusters = Math.ceil((GROW_RECORDS * recordSize) / clusterSize);
    const records = Math.floor((clusters * clusterSize) / recordSize);
    while (this.#records + records > this.bits.length * 8) {
      this.bitsRuns.push(...allocate(1));
      const longer = new Uint8Array(this.bits.length + clusterSize);
      longer.set(this.bits);
      this.bits = longer;
    }
    for (const run of allocate(clusters)) {
      const last = this.table.at(-1)!;
      if (last.lcn + last.length === run.lcn)
        this.table[this.table.length - 1] = { lcn: last.lcn, length: last.length + run.length };
      else this.table.push(run);
      this.#grown.push(run);
    }
    this.#records += records;
  }

  /** Clusters that are free once the change is through. */
  freeLater(run: DataRun): void {
    this.#freed.push(run);
  }

  /** A record as it is on the disk. */
  read(number: number): Promise<Uint8Array> {
    return readAt(this.input, this.table, number);
  }

  /** Writes changed records, the table's growth, both bitmaps and the mirror. */
  async write(records: Map<number, Uint8Array>, bitmap: Uint8Array, tx: Transaction): Promise<void> {
    for (const { lcn, length } of this.#freed) setBits(bitmap, lcn, lcn + length, false);
    if (this.#records > this.input.mft.records) await this.#writeGrowth(records, tx);
    const mirror = await this.#system(MIRROR, records);
    for (const [number, bytes] of records) await this.#writeRecord(number, bytes, mirror, tx);
    const { clusterSize } = this.#g;
    await writeAcross(tx, this.bitsRuns, clusterSize, 0, this.bits);
    await writeAcross(tx, (await this.#system(BITMAP, records)).runs, clusterSize, 0, bitmap);
  }

  async #writeGrowth(records: Map<number, Uint8Array>, tx: Transaction): Promise<void> {
    const { recordSize, clusterSize } = this.#g;
    const editor = new RecordEditor(MFT, await readAt(this.input, this.table, MFT));
    const data = editor.attributes.find((a) => a.type === TYPE.data && a.name === '')!;
    const bits = editor.attributes.find((a) => a.type === TYPE.bitmap)!;
    const allocated = this.table.reduce((sum, r) => sum + r.length, 0) * clusterSize;
    const size = this.#records * recordSize;
    editor.setRuns(data, this.table, { allocated, size, initialised: size });
    const bitBytes = Math.ceil(this.#records / 64) * 8;
    editor.setRuns(bits, this.bitsRuns, { allocated: this.bits.length, size: bitBytes, initialised: bitBytes });
    records.set(MFT, editor.build());
    for (let number = this.input.mft.records; number < this.#records; number++) {
      if (records.has(number)) continue;
      records.set(number, buildRecord({ number, sequence: 1, flags: 0, links: 0, attributes: [] }, recordSize));
    }
    for (const { lcn, length } of this.#grown) await tx.clearFree(lcn * clusterSize, length * clusterSize);
  }

  /** The runs and size of a system file's content. */
  async #system(number: number, records: Map<number, Uint8Array>): Promise<{ runs: DataRun[]; size: number }> {
    const editor = new RecordEditor(number, records.get(number) ?? (await this.read(number)));
    const attribute = editor.attributes.find((a) => a.type === TYPE.data && a.name === '');
    const runs = attribute?.pairs && decodeRuns(attribute.pairs, this.#g.clusterCount, Number.MAX_SAFE_INTEGER);
    if (!runs)
      throw new CoreError('fs.damaged', { fileSystem: 'NTFS', reason: `record ${number} makes no sense`, offset: 0 });
    return { runs, size: attribute.dataSize };
  }

  async #writeRecord(
    number: number,
    bytes: Uint8Array,
    mirror: { runs: DataRun[]; size: number },
    tx: Transaction,
  ): Promise<void> {
    const { recordSize, clusterSize } = this.#g;
    await writeAcross(tx, this.table, clusterSize, number * recordSize, bytes);
    if ((number + 1) * recordSize <= mirror.size)
      await tx.write(mirror.runs[0]!.lcn * clusterSize + number * recordSize, bytes);
  }
}

function readAt(input: ResizeInput, table: readonly DataRun[], number: number): Promise<Uint8Array> {
  const { recordSize, clusterSize } = input.geometry;
  return readAcross(input.device, table, clusterSize, number * recordSize, recordSize);
}
