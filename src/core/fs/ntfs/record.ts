/**
 * MFT records: header, update sequence, and the attributes in them.
 *
 * Linux-NTFS “NTFS Documentation”, chapters “FILE Record”, “Fixup” and “Attribute Header”. The last two bytes of every
 * 512 are replaced by a sequence number on the disk and stand in an array of the header; a record whose replaced bytes
 * are not that number was torn while it was written.
 */
import { struct, text, u16, u16At, u32, u64, u8 } from '@/core/bytes';

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

/** Behind the header of an attribute that is sparse or compressed: bytes of the clusters that it really has. */
export const STORED = struct('attribute with holes', 72, { compressionUnit: u8(34), storedSize: u64(64) });

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
/** `compressed` is a mask; the one method that there is is `byUnits`. */
export const ATTRIBUTE_FLAG = { compressed: 0x00ff, byUnits: 0x0001, encrypted: 0x4000, sparse: 0x8000 } as const;
const STRIDE = 512;

/** The outcome of undoing an update sequence. */
export type Fixup = 'ok' | 'torn' | 'malformed';

/** Puts the replaced bytes back, in place, in the record of `length` bytes at `at`. The caller owns `bytes`. */
export function undoFixup(bytes: Uint8Array, at = 0, length = bytes.length): Fixup {
  const sequenceOffset = u16At(bytes, at + RECORD.offsets.sequenceOffset);
  const sequenceCount = u16At(bytes, at + RECORD.offsets.sequenceCount);
  const strides = length / STRIDE;
  if (sequenceCount !== strides + 1 || sequenceOffset + 2 * sequenceCount > STRIDE - 2 || sequenceOffset < 40)
    return 'malformed';
  let outcome: Fixup = 'ok';
  for (let i = 1; i <= strides; i++) {
    const end = at + i * STRIDE - 2;
    const array = at + sequenceOffset;
    const matches = bytes[end] === bytes[array] && bytes[end + 1] === bytes[array + 1];
    if (!matches) outcome = 'torn';
    bytes[end] = bytes[array + 2 * i]!;
    bytes[end + 1] = bytes[array + 2 * i + 1]!;
  }
  return outcome;
}

/** The record number of a file reference: its lower 48 bits. */
export function recordOf(reference: bigint): number {
  return Number(reference & 0xffffffffffffn);
}

/** The sequence number of a file reference: its upper 16 bits. */
export function sequenceOf(reference: bigint): number {
  return Number(reference >> 48n);
}
