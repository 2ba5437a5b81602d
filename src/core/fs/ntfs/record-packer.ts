/** Distributing a file's attributes over its base record and as few extension records as they need. */
import { CoreError } from '@/core/errors';
import { emptyRecord, layAttributes } from './build-record';
import { ATTRIBUTE, NON_RESIDENT, RECORD, TYPE } from './record';
import { clustersOf, encodeRuns, encodeRunsWithin, type DataRun } from './runlist';

const MFT = 0;
const NON_RESIDENT_HEADER = 64;
const ALIGN = 8;
const align8 = (n: number): number => Math.ceil(n / ALIGN) * ALIGN;

/** An attribute whole, wherever its parts stood: as it is when resident, else its first header and all of its runs. */
export interface HeldAttribute {
  readonly type: number;
  readonly name: string;
  /** The whole attribute, or all of it up to its mapping pairs. */
  readonly head: Uint8Array;
  readonly runs?: readonly DataRun[];
}

/** What is put into a record, in ascending order of type. */
interface PackedPart {
  readonly held: HeldAttribute;
  readonly raw: Uint8Array;
  readonly lowestVcn: number;
}

/** A record being filled. `left` is in bytes. */
export interface PackedRecord {
  readonly number: number;
  readonly sequence: number;
  readonly parts: PackedPart[];
  left: number;
}

/** Where records come from, and their sizes. */
export interface PackerContext {
  readonly fileNumber: number;
  readonly base: PackedRecord;
  readonly recordSize: number;
  readonly clusterSize: number;
  /** An empty record, its number under `below` where that matters. */
  more(below: number | undefined): Promise<PackedRecord>;
}

/** The attribute with its runs, as bytes. */
export function wholeAttribute({ head, runs }: HeldAttribute): Uint8Array {
  return runs ? pieceOf(head, 0, clustersOf(runs), encodeRuns(runs)) : head;
}

/** @throws CoreError `fs.record-full` when an attribute that must be in one record fits none */
export async function packRecords(
  attributes: readonly HeldAttribute[],
  context: PackerContext,
): Promise<PackedRecord[]> {
  const packer = new Packer(context);
  // The table's own further records are found by what its first piece maps, so that piece gets all the room it can.
  const last = context.fileNumber === MFT ? attributes.filter((a) => a.type === TYPE.bitmap) : [];
  const kept = last.reduce((sum, a) => sum + wholeAttribute(a).length, 0);
  context.base.left -= kept;
  for (const attribute of attributes) if (!last.includes(attribute)) await packer.place(attribute);
  context.base.left += kept;
  for (const attribute of last) await packer.place(attribute);
  for (const record of packer.records) record.parts.sort((a, b) => a.held.type - b.held.type);
  return packer.records;
}

class Packer {
  readonly records: PackedRecord[];

  constructor(private readonly context: PackerContext) {
    this.records = [context.base];
  }

  async place(held: HeldAttribute): Promise<void> {
    const raw = wholeAttribute(held);
    const [base, last] = [this.context.base, this.records.at(-1)!];
    const isTable = this.context.fileNumber === MFT && held.type === TYPE.data && held.name === '';
    if (raw.length <= base.left) return put(base, held, raw, 0);
    if (isTable) return this.#spread(held);
    if (raw.length <= last.left) return put(last, held, raw, 0);
    const fresh = await this.#more(undefined);
    if (raw.length <= fresh.left) return put(fresh, held, raw, 0);
    if (!held.runs) throw new CoreError('fs.record-full', { record: this.context.fileNumber });
    await this.#spread(held, fresh);
  }

  /** Cuts a runlist into pieces by VCN, one a record, from the record given on. */
  async #spread(held: HeldAttribute, from = this.context.base): Promise<void> {
    const { fileNumber, recordSize, clusterSize } = this.context;
    const runs = held.runs!;
    const mapped = (clusters: number): number => Math.floor((clusters * clusterSize) / recordSize);
    for (let record = from, next = 0, vcn = 0; ;) {
      const headLength = vcn === 0 ? held.head.length : continuationHead(held.head).length;
      const { pairs, next: behind } = encodeRunsWithin(runs, next, record.left - headLength - (ALIGN - 1));
      if (behind === next) throw new CoreError('fs.record-full', { record: fileNumber });
      const clusters = clustersOf(runs.slice(next, behind));
      const head = vcn === 0 ? held.head : continuationHead(held.head);
      put(record, held, pieceOf(head, vcn, clusters, pairs), vcn);
      [next, vcn] = [behind, vcn + clusters];
      if (next === runs.length) return;
      record = await this.#more(fileNumber === MFT ? mapped(vcn) : undefined);
    }
  }

  async #more(below: number | undefined): Promise<PackedRecord> {
    const record = await this.context.more(below);
    this.records.push(record);
    return record;
  }
}

function put(record: PackedRecord, held: HeldAttribute, raw: Uint8Array, lowestVcn: number): void {
  record.parts.push({ held, raw, lowestVcn });
  record.left -= raw.length;
}

/** A header for a piece that is not the first: the same name and flags, and no sizes, which only the first one has. */
function continuationHead(head: Uint8Array): Uint8Array {
  const { nameLength, nameOffset } = ATTRIBUTE.decode(head);
  const out = new Uint8Array(align8(NON_RESIDENT_HEADER + nameLength * 2));
  out.set(head.subarray(0, NON_RESIDENT_HEADER));
  out.set(head.subarray(nameOffset, nameOffset + nameLength * 2), NON_RESIDENT_HEADER);
  ATTRIBUTE.encode({ nameOffset: NON_RESIDENT_HEADER }, out);
  NON_RESIDENT.encode({ pairsOffset: out.length, allocatedSize: 0n, dataSize: 0n, initialisedSize: 0n }, out);
  return out;
}

function pieceOf(head: Uint8Array, lowestVcn: number, clusters: number, pairs: Uint8Array): Uint8Array {
  const out = new Uint8Array(align8(head.length + pairs.length));
  out.set(head);
  out.set(pairs, head.length);
  ATTRIBUTE.encode({ length: out.length }, out);
  const highestVcn = BigInt.asUintN(64, BigInt(lowestVcn + clusters) - 1n);
  NON_RESIDENT.encode({ lowestVcn: BigInt(lowestVcn), highestVcn }, out);
  return out;
}

/**
 * An extension record given back: free, and with another sequence number so that old references miss it. Its own number is
 * not asked of it: records of the older form have their update sequence where that would stand.
 */
export function freedRecord(number: number, record: Uint8Array): Uint8Array {
  const { sequence } = RECORD.decode(record);
  const next = (sequence + 1) & 0xffff || 1;
  const out = emptyRecord({ number, sequence: next, flags: 0, links: 0, base: 0n }, record.length);
  layAttributes(out, []);
  return out;
}
