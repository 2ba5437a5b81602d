/** Records and attributes as bytes: the inverse of `record.ts`. All results are owned by the caller. */
import { struct, text, u16, u32, u64, u8 } from '@/core/bytes';
import { ATTRIBUTE, NON_RESIDENT, RECORD, RESIDENT, STORED } from './record';
import { encodeRuns, type DataRun } from './runlist';
import { HOLE_UNIT } from './sparse';

/** The header of an index block; offsets in it count from byte 24. */
export const INDEX_BLOCK = struct('index block', 40, {
  magic: text(0, 4),
  sequenceOffset: u16(4),
  sequenceCount: u16(6),
  vcn: u64(16),
  entriesOffset: u32(24),
  indexLength: u32(28),
  allocated: u32(32),
  flags: u8(36),
});

const STRIDE = 512;
const HEADER_BYTES = 48;
const SEQUENCE_NUMBER = 1;

/** An attribute to be written: resident with a value, or with runs. `id` is given by the record. */
export type NewAttribute = {
  readonly type: number;
  readonly name?: string;
  readonly flags?: number;
} & (
  | { readonly value: Uint8Array; readonly indexed?: boolean }
  | {
      readonly runs: readonly DataRun[];
      readonly allocated: number;
      readonly size: number;
      readonly initialised?: number;
      /** Bytes of clusters it really has, for one with holes. */
      readonly stored?: number;
    }
);

const align8 = (n: number): number => Math.ceil(n / 8) * 8;

/** Text as UTF-16 little-endian. */
export function toUtf16(textValue: string): Uint8Array {
  const out = new Uint8Array(textValue.length * 2);
  for (let i = 0; i < textValue.length; i++) {
    out[i * 2] = textValue.charCodeAt(i) & 0xff;
    out[i * 2 + 1] = textValue.charCodeAt(i) >> 8;
  }
  return out;
}

/** A file reference: record number and sequence number. */
export function referenceTo(number: number, sequence: number): bigint {
  return BigInt(number) | (BigInt(sequence) << 48n);
}

/** One attribute as bytes, a multiple of 8 long. */
export function buildAttribute(attribute: NewAttribute, id: number): Uint8Array {
  const name = toUtf16(attribute.name ?? '');
  const stored = 'value' in attribute ? undefined : attribute.stored;
  const head = 'value' in attribute ? RESIDENT.size : (stored === undefined ? NON_RESIDENT : STORED).size;
  const bodyAt = align8(head + name.length);
  const body = 'value' in attribute ? attribute.value : encodeRuns(attribute.runs);
  const out = new Uint8Array(align8(bodyAt + body.length));
  ATTRIBUTE.encode(
    {
      type: attribute.type,
      length: out.length,
      nonResident: 'value' in attribute ? 0 : 1,
      nameLength: name.length / 2,
      nameOffset: head,
      flags: attribute.flags ?? 0,
      id,
    },
    out,
  );
  out.set(name, head);
  out.set(body, bodyAt);
  if ('value' in attribute) {
    RESIDENT.encode({ valueLength: body.length, valueOffset: bodyAt, indexed: attribute.indexed ? 1 : 0 }, out);
    return out;
  }
  const clusters = attribute.runs.reduce((sum, run) => sum + run.length, 0);
  NON_RESIDENT.encode(
    {
      lowestVcn: 0n,
      highestVcn: BigInt.asUintN(64, BigInt(clusters) - 1n),
      pairsOffset: bodyAt,
      allocatedSize: BigInt(attribute.allocated),
      dataSize: BigInt(attribute.size),
      initialisedSize: BigInt(attribute.initialised ?? attribute.size),
    },
    out,
  );
  if (stored !== undefined) STORED.encode({ compressionUnit: HOLE_UNIT, storedSize: BigInt(stored) }, out);
  return out;
}

/** What a record is to hold. Attributes are in ascending order of type. */
export interface NewRecord {
  readonly number: number;
  readonly sequence: number;
  readonly flags: number;
  readonly links: number;
  readonly attributes: readonly NewAttribute[];
}

/** What the header of a record says. */
export interface RecordHead {
  readonly number: number;
  readonly sequence: number;
  readonly flags: number;
  readonly links: number;
  /** The reference of the record that this one extends, or 0. */
  readonly base: bigint;
}

/** Where attributes begin in a record made here. */
export function attributesStart(size: number): number {
  return align8(HEADER_BYTES + 2 * (size / STRIDE + 1));
}

/** A record with a header and nothing else; {@link layAttributes} makes it whole. */
export function emptyRecord({ number, sequence, flags, links, base }: RecordHead, size: number): Uint8Array {
  const out = new Uint8Array(size);
  RECORD.encode(
    {
      magic: 'FILE',
      sequenceOffset: HEADER_BYTES,
      sequenceCount: size / STRIDE + 1,
      logSequence: 0n,
      sequence,
      links,
      attributesOffset: attributesStart(size),
      flags,
      bytesAllocated: size,
      base,
      number,
    },
    out,
  );
  return out;
}

/**
 * Puts attributes into a record in place of those it has, gives each its identity, and applies the update sequence.
 * @throws RangeError when they do not fit
 */
export function layAttributes(
  record: Uint8Array,
  attributes: readonly { readonly raw: Uint8Array; readonly id: number }[],
): void {
  const { attributesOffset, sequenceOffset } = RECORD.decode(record);
  record.fill(0, attributesOffset);
  let at = attributesOffset;
  for (const { raw, id } of attributes) {
    if (at + raw.length + 8 > record.length) throw new RangeError(`a record needs more than ${record.length} bytes`);
    record.set(raw, at);
    ATTRIBUTE.encode({ id }, record, at);
    at += raw.length;
  }
  record.set([0xff, 0xff, 0xff, 0xff], at);
  RECORD.encode({ bytesUsed: at + 8, nextId: attributes.length }, record);
  applyFixup(record, sequenceOffset);
}

/** A record with its update sequence in place. @throws RangeError when the attributes do not fit */
export function buildRecord(record: NewRecord, size: number): Uint8Array {
  const out = emptyRecord({ ...record, base: 0n }, size);
  layAttributes(
    out,
    record.attributes.map((attribute, id) => ({ raw: buildAttribute(attribute, id), id })),
  );
  return out;
}

/** Replaces the last two bytes of every stride by the sequence number and keeps them in the array. */
export function applyFixup(bytes: Uint8Array, sequenceOffset: number): void {
  bytes[sequenceOffset] = SEQUENCE_NUMBER;
  bytes[sequenceOffset + 1] = 0;
  for (let i = 1; i <= bytes.length / STRIDE; i++) {
    const end = i * STRIDE - 2;
    bytes[sequenceOffset + 2 * i] = bytes[end]!;
    bytes[sequenceOffset + 2 * i + 1] = bytes[end + 1]!;
    bytes[end] = SEQUENCE_NUMBER;
    bytes[end + 1] = 0;
  }
}

/** An index entry: an 8-byte head (a reference, or where a view's data is), a key, and a view's data behind it. */
export interface NewIndexEntry {
  readonly head: Uint8Array;
  readonly key: Uint8Array;
  readonly data?: Uint8Array;
}

/** An entry of a view: its data follows its key, of which `counted` bytes are said to be there. */
export function viewEntry(key: Uint8Array, data: Uint8Array, counted = data.length): NewIndexEntry {
  const head = new Uint8Array(8);
  const view = new DataView(head.buffer);
  view.setUint16(0, 16 + key.length, true);
  view.setUint16(2, counted, true);
  return { head, key, data };
}

/** Marks of an index entry. */
export const ENTRY_LAST = 2;
export const ENTRY_CHILD = 1;

function buildEntry({ head, key, data }: NewIndexEntry): Uint8Array {
  const out = new Uint8Array(align8(16 + key.length + (data?.length ?? 0)));
  out.set(head, 0);
  new DataView(out.buffer).setUint16(8, out.length, true);
  new DataView(out.buffer).setUint16(10, key.length, true);
  out.set(key, 16);
  if (data) out.set(data, 16 + key.length);
  return out;
}

/** The entry that ends a node; with a child it points to the block at that VCN. */
function endEntry(childVcn?: number): Uint8Array {
  const out = new Uint8Array(childVcn === undefined ? 16 : 24);
  const view = new DataView(out.buffer);
  view.setUint16(8, out.length, true);
  view.setUint16(12, childVcn === undefined ? ENTRY_LAST : ENTRY_LAST | ENTRY_CHILD, true);
  if (childVcn !== undefined) view.setBigUint64(16, BigInt(childVcn), true);
  return out;
}

function concat(parts: readonly Uint8Array[]): Uint8Array {
  const out = new Uint8Array(parts.reduce((sum, p) => sum + p.length, 0));
  let at = 0;
  for (const part of parts) {
    out.set(part, at);
    at += part.length;
  }
  return out;
}

/** What an index root says of its index. */
export interface IndexShape {
  readonly type: number;
  readonly collation: number;
  readonly blockSize: number;
  readonly clustersPerBlock: number;
}

/** The value of an index root: its entries, or only a pointer to the block at VCN 0. */
export function buildIndexRoot(shape: IndexShape, entries: readonly NewIndexEntry[] | 'in block 0'): Uint8Array {
  const large = entries === 'in block 0';
  const body = concat(large ? [endEntry(0)] : [...entries.map(buildEntry), endEntry()]);
  const out = new Uint8Array(32 + body.length);
  const view = new DataView(out.buffer);
  view.setUint32(0, shape.type, true);
  view.setUint32(4, shape.collation, true);
  view.setUint32(8, shape.blockSize, true);
  out[12] = shape.clustersPerBlock;
  view.setUint32(16, 16, true);
  view.setUint32(20, 16 + body.length, true);
  view.setUint32(24, 16 + body.length, true);
  out[28] = large ? 1 : 0;
  out.set(body, 32);
  return out;
}

/** A leaf block of an index, with its update sequence in place. @throws RangeError when the entries do not fit */
export function buildIndexBlock(size: number, vcn: number, entries: readonly NewIndexEntry[]): Uint8Array {
  const out = new Uint8Array(size);
  const strides = size / STRIDE;
  const entriesAt = align8(40 + 2 * (strides + 1));
  const body = concat([...entries.map(buildEntry), endEntry()]);
  if (entriesAt + body.length > size)
    throw new RangeError(`${entries.length} entries do not fit a block of ${size} bytes`);
  INDEX_BLOCK.encode(
    {
      magic: 'INDX',
      sequenceOffset: 40,
      sequenceCount: strides + 1,
      vcn: BigInt(vcn),
      entriesOffset: entriesAt - 24,
      indexLength: entriesAt - 24 + body.length,
      allocated: size - 24,
      flags: 0,
    },
    out,
  );
  out.set(body, entriesAt);
  applyFixup(out, 40);
  return out;
}
