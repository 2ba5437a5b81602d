/**
 * MFT records: header, update sequence, and the attributes in them.
 *
 * Linux-NTFS “NTFS Documentation”, chapters “FILE Record”, “Fixup” and “Attribute Header”. The last two bytes of every
 * 512 are replaced by a sequence number on the disk and stand in an array of the header; a record whose replaced bytes
 * are not that number was torn while it was written.
 */
import { struct, text, u16, u32, u64, u8 } from '@/core/bytes';

export const RECORD = struct('FILE record', 48, {
  magic: text(0, 4),
  sequenceOffset: u16(4),
  sequenceCount: u16(6),
  logSequence: u64(8),
  sequence: u16(16),
  links: u16(18),
  attributesOffset: u16(20),
  flags: u16(22),
  bytesUsed: u32(24),
  bytesAllocated: u32(28),
  base: u64(32),
  nextId: u16(40),
  number: u32(44),
});

export const ATTRIBUTE = struct('attribute header', 16, {
  type: u32(0),
  length: u32(4),
  nonResident: u8(8),
  nameLength: u8(9),
  nameOffset: u16(10),
  flags: u16(12),
  id: u16(14),
});

export const RESIDENT = struct('resident attribute', 24, {
  valueLength: u32(16),
  valueOffset: u16(20),
  indexed: u8(22),
});

export const NON_RESIDENT = struct('non-resident attribute', 64, {
  lowestVcn: u64(16),
  highestVcn: u64(24),
  pairsOffset: u16(32),
  compressionUnit: u8(34),
  allocatedSize: u64(40),
  dataSize: u64(48),
  initialisedSize: u64(56),
});

/** Types of attributes, by their published numbers. */
export const TYPE = {
  standardInformation: 0x10,
  attributeList: 0x20,
  fileName: 0x30,
  objectId: 0x40,
  security: 0x50,
  volumeName: 0x60,
  volumeInformation: 0x70,
  data: 0x80,
  indexRoot: 0x90,
  indexAllocation: 0xa0,
  bitmap: 0xb0,
  reparsePoint: 0xc0,
  end: 0xffffffff,
} as const;

export const FLAG = { inUse: 1, folder: 2 } as const;
export const ATTRIBUTE_FLAG = { compressed: 0x00ff, encrypted: 0x4000, sparse: 0x8000 } as const;
const STRIDE = 512;
const MAX_ATTRIBUTES = 512;
const MAX_SIZE = BigInt(Number.MAX_SAFE_INTEGER);

/** One attribute of one record. Resident ones have `value`, others `pairs`; both are views of the record's bytes. */
export interface Attribute {
  readonly type: number;
  readonly name: string;
  readonly id: number;
  readonly flags: number;
  readonly value?: Uint8Array;
  readonly pairs?: Uint8Array;
  readonly lowestVcn: number;
  readonly highestVcn: number;
  /** log2 of the clusters of a compression unit, 0 for none. */
  readonly compressionUnit: number;
  readonly allocatedSize: number;
  readonly dataSize: number;
  readonly initialisedSize: number;
}

/** The outcome of undoing an update sequence. */
export type Fixup = 'ok' | 'torn' | 'malformed';

/** Puts the replaced bytes back, in place. The caller owns `record`. */
export function undoFixup(record: Uint8Array): Fixup {
  const { sequenceOffset, sequenceCount } = RECORD.decode(record);
  const strides = record.length / STRIDE;
  if (sequenceCount !== strides + 1 || sequenceOffset + 2 * sequenceCount > STRIDE - 2 || sequenceOffset < 40)
    return 'malformed';
  let outcome: Fixup = 'ok';
  for (let i = 1; i <= strides; i++) {
    const end = i * STRIDE - 2;
    const matches = record[end] === record[sequenceOffset] && record[end + 1] === record[sequenceOffset + 1];
    if (!matches) outcome = 'torn';
    record[end] = record[sequenceOffset + 2 * i]!;
    record[end + 1] = record[sequenceOffset + 2 * i + 1]!;
  }
  return outcome;
}

/** The attributes of a record whose update sequence was undone, or undefined when they make no sense. */
export function parseAttributes(record: Uint8Array): Attribute[] | undefined {
  const { attributesOffset, bytesUsed } = RECORD.decode(record);
  const end = Math.min(bytesUsed, record.length);
  const out: Attribute[] = [];
  let at = attributesOffset;
  for (let n = 0; n < MAX_ATTRIBUTES && at + 4 <= end; n++) {
    if (new DataView(record.buffer, record.byteOffset + at, 4).getUint32(0, true) === TYPE.end) return out;
    if (at + 24 > end) return undefined;
    const header = ATTRIBUTE.decode(record, at);
    if (header.length < 24 || header.length % 8 !== 0 || at + header.length > end) return undefined;
    const attribute = parseAttribute(record.subarray(at, at + header.length), header);
    if (!attribute) return undefined;
    out.push(attribute);
    at += header.length;
  }
  return undefined;
}

function parseAttribute(bytes: Uint8Array, header: ReturnType<typeof ATTRIBUTE.decode>): Attribute | undefined {
  const nameEnd = header.nameOffset + header.nameLength * 2;
  if (header.nameLength > 0 && nameEnd > bytes.length) return undefined;
  const name = header.nameLength > 0 ? utf16(bytes.subarray(header.nameOffset, nameEnd)) : '';
  const shared = { type: header.type, name, id: header.id, flags: header.flags };
  if (header.nonResident === 0) {
    const { valueLength, valueOffset } = RESIDENT.decode(bytes);
    if (valueOffset + valueLength > bytes.length) return undefined;
    const sizes = { allocatedSize: valueLength, dataSize: valueLength, initialisedSize: valueLength };
    return {
      ...shared,
      value: bytes.subarray(valueOffset, valueOffset + valueLength),
      lowestVcn: 0,
      highestVcn: -1,
      compressionUnit: 0,
      ...sizes,
    };
  }
  if (bytes.length < NON_RESIDENT.size) return undefined;
  const body = NON_RESIDENT.decode(bytes);
  const large = [body.lowestVcn, body.allocatedSize, body.dataSize, body.initialisedSize].some((v) => v > MAX_SIZE);
  if (large || body.pairsOffset >= bytes.length || body.compressionUnit > 16) return undefined;
  return {
    ...shared,
    pairs: bytes.subarray(body.pairsOffset),
    lowestVcn: Number(body.lowestVcn),
    highestVcn: Number(BigInt.asIntN(64, body.highestVcn)),
    compressionUnit: body.compressionUnit,
    allocatedSize: Number(body.allocatedSize),
    dataSize: Number(body.dataSize),
    initialisedSize: Number(body.initialisedSize),
  };
}

/** UTF-16 little-endian as text; unpaired surrogates stay what they are. */
export function utf16(bytes: Uint8Array): string {
  let out = '';
  for (let i = 0; i + 1 < bytes.length; i += 2) out += String.fromCharCode(bytes[i]! | (bytes[i + 1]! << 8));
  return out;
}

/** The record number of a file reference: its lower 48 bits. */
export function recordOf(reference: bigint): number {
  return Number(reference & 0xffffffffffffn);
}

/** The sequence number of a file reference: its upper 16 bits. */
export function sequenceOf(reference: bigint): number {
  return Number(reference >> 48n);
}
