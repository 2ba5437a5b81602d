/** What a GUID partition table is made of. UEFI 2.10 §5.3. */
import { raw, struct, text, u32, u64 } from '@/core/bytes';

export const HEADER = struct('GPT header', 92, {
  signature: text(0, 8),
  revision: u32(8),
  headerSize: u32(12),
  headerCrc: u32(16),
  reserved: u32(20),
  myLba: u64(24),
  alternateLba: u64(32),
  firstUsableLba: u64(40),
  lastUsableLba: u64(48),
  diskGuid: raw(56, 16),
  arrayLba: u64(72),
  entryCount: u32(80),
  entrySize: u32(84),
  arrayCrc: u32(88),
});

export const ENTRY = struct('GPT entry', 128, {
  typeGuid: raw(0, 16),
  guid: raw(16, 16),
  firstLba: u64(32),
  lastLba: u64(40),
  attributes: u64(48),
  name: raw(56, 72),
});

export const GPT_SIGNATURE = 'EFI PART';
/** Letters of a name. */
export const NAME_UNITS = 36;
/** What a new table has, and the least any table has. */
export const USUAL_ENTRIES = 128;
export const USUAL_ENTRY_SIZE = 128;

/** Bits of an entry's attributes that have a meaning here (§5.3.3, and the ones basic data volumes use). */
const GPT_FLAG_BITS = { required: 0n, 'read-only': 60n, hidden: 62n, 'no-letter': 63n } as const;
export type VolumeFlag = keyof typeof GPT_FLAG_BITS;

/** One entry in use. `slot` is its place in the array; both LBAs are part of the volume. */
export interface GptEntry {
  readonly slot: number;
  readonly typeGuid: string;
  readonly guid: string;
  readonly firstLba: number;
  readonly lastLba: number;
  /** All 64 bits, as 16 hexadecimal digits. */
  readonly attributes: string;
  readonly name: string;
}

/** A table as it is or is to be. Plain data. */
export interface GptDisk {
  readonly kind: 'gpt';
  readonly diskGuid: string;
  readonly entryCount: number;
  readonly entrySize: number;
  readonly entries: readonly GptEntry[];
}

/** Stretches of a disk that the two copies take, in bytes. */
export function gptRoom(
  { entryCount, entrySize }: Pick<GptDisk, 'entryCount' | 'entrySize'>,
  size: number,
  sectorSize: number,
): { first: number; last: number } {
  const array = Math.ceil((entryCount * entrySize) / sectorSize) * sectorSize;
  const end = Math.floor(size / sectorSize) * sectorSize;
  return { first: 2 * sectorSize + array, last: end - sectorSize - array };
}

/** The flags among an entry's attributes. */
export function flagsIn(attributes: string): VolumeFlag[] {
  const bits = BigInt(`0x${attributes}`);
  return (Object.keys(GPT_FLAG_BITS) as VolumeFlag[]).filter((flag) => bits & (1n << GPT_FLAG_BITS[flag]));
}

/** Attributes of an entry that has none. */
export const NO_ATTRIBUTES = '0000000000000000';

/** Attributes with these flags and every other bit as it was. */
export function withFlags(attributes: string, flags: readonly VolumeFlag[]): string {
  // Nearly all volumes have none, and a plan asks for each of them after every move.
  if (flags.length === 0 && attributes === NO_ATTRIBUTES) return attributes;
  let bits = BigInt(`0x${attributes}`);
  for (const [flag, bit] of Object.entries(GPT_FLAG_BITS) as [VolumeFlag, bigint][]) {
    bits = flags.includes(flag) ? bits | (1n << bit) : bits & ~(1n << bit);
  }
  return bits.toString(16).toUpperCase().padStart(16, '0');
}
