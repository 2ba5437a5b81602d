/**
 * FAT directories: 32-byte entries, long names in runs of their own in front of the short one.
 *
 * FATGEN 1.03 “FAT Directory Structure” and “FAT Long Directory Entries”. A directory is at most 65 536 entries long.
 */
import { raw, spell, struct, u16, u16At, u32, u8, unitList } from '@/core/bytes';
import { DIRECTORY_ENTRY_BYTES } from './boot-sector';
import { decodeShortName, shortNameChecksum } from './names';

/** A short entry. */
export const ENTRY = struct('FAT directory entry', DIRECTORY_ENTRY_BYTES, {
  name: raw(0, 11),
  attributes: u8(11),
  caseFlags: u8(12),
  createdHundredths: u8(13),
  createdTime: u16(14),
  createdDate: u16(16),
  accessedDate: u16(18),
  clusterHigh: u16(20),
  modifiedTime: u16(22),
  modifiedDate: u16(24),
  clusterLow: u16(26),
  size: u32(28),
});

const LONG = struct('FAT long-name entry', DIRECTORY_ENTRY_BYTES, {
  order: u8(0),
  first: raw(1, 10),
  attributes: u8(11),
  type: u8(12),
  checksum: u8(13),
  second: raw(14, 12),
  cluster: u16(26),
  third: raw(28, 4),
});

export const ATTRIBUTE = { readOnly: 1, hidden: 2, system: 4, label: 8, folder: 16, archive: 32 } as const;
const LONG_NAME = 0x0f;
const LONG_MASK = 0x3f;
const LAST_LONG = 0x40;
const DELETED = 0xe5;
const CHARACTERS_A_LONG_ENTRY = 13;
/** 255 characters, 13 an entry. */
const MAX_LONG_ENTRIES = 20;
export const MAX_DIRECTORY_ENTRIES = 65_536;

export type RawEntry = ReturnType<typeof ENTRY.decode>;

/** An entry in use, with its name put together. `at` is the byte index of the short entry in the directory. */
interface ParsedEntry {
  readonly at: number;
  /** How many 32-byte slots it takes, long-name entries included. */
  readonly slots: number;
  readonly name: string;
  readonly entry: RawEntry;
}

/** What a directory's bytes hold. `end` is the byte index of the mark that ends it, or its length. */
export interface ParsedDirectory {
  readonly entries: readonly ParsedEntry[];
  readonly end: number;
  /** Long-name entries that belong to no short one. */
  readonly orphans: number;
}

/** Parses the whole content of a directory. Never throws; what makes no sense is left out and counted. */
export function parseDirectory(bytes: Uint8Array): ParsedDirectory {
  const entries: ParsedEntry[] = [];
  const { end, orphans } = eachEntry(bytes, (at, slots) => {
    entries.push({ at, slots, name: nameAt(bytes, at, slots), entry: ENTRY.decode(bytes, at) });
  });
  return { entries, end, orphans };
}

/**
 * Goes over the entries in use of a directory as they stand, without putting anything together.
 * @param take has the byte index of each short entry, and how many slots it takes with its long-name entries
 */
export function eachEntry(
  bytes: Uint8Array,
  take: (at: number, slots: number) => void,
): Pick<ParsedDirectory, 'end' | 'orphans'> {
  const long = new LongRun();
  let orphans = 0;
  const limit = Math.min(bytes.length, MAX_DIRECTORY_ENTRIES * DIRECTORY_ENTRY_BYTES);
  let at = 0;
  for (; at + DIRECTORY_ENTRY_BYTES <= limit; at += DIRECTORY_ENTRY_BYTES) {
    const first = bytes[at]!;
    if (first === 0) break;
    if (first !== DELETED && (bytes[at + 11]! & LONG_MASK) === LONG_NAME) {
      if (long.add(bytes, at)) orphans += 1;
      continue;
    }
    if (first !== DELETED) {
      const named = long.belongsTo(bytes, at);
      if (!named) orphans += long.length;
      take(at, named ? 1 + long.length : 1);
    }
    long.clear();
  }
  return { end: at, orphans };
}

/** The name of an entry that takes so many slots: the long one, or else the short one. */
export function nameAt(bytes: Uint8Array, at: number, slots: number): string {
  if (slots === 1) return decodeShortName(bytes.subarray(at, at + 11), bytes[at + ENTRY.offsets.caseFlags]!);
  const units = unitList(longLength(bytes, at, slots - 1));
  for (let i = 0; i < units.length; i++) units[i] = longUnit(bytes, at, i);
  return spell(units);
}

/** Where in a long-name entry its characters stand. */
const CHARACTERS_AT = [1, 3, 5, 7, 9, 14, 16, 18, 20, 22, 24, 28, 30] as const;

/** A character of the long name in front of a short entry: its first part stands last. */
function longUnit(bytes: Uint8Array, at: number, index: number): number {
  const part = Math.floor(index / CHARACTERS_A_LONG_ENTRY);
  const unit = at - (part + 1) * DIRECTORY_ENTRY_BYTES + CHARACTERS_AT[index - part * CHARACTERS_A_LONG_ENTRY]!;
  return u16At(bytes, unit);
}

/** How many characters it has: it ends with a zero, or where its parts do. */
function longLength(bytes: Uint8Array, at: number, parts: number): number {
  const most = parts * CHARACTERS_A_LONG_ENTRY;
  let length = 0;
  while (length < most && longUnit(bytes, at, length) !== 0) length += 1;
  return length;
}

/** A run of long-name entries, which stand last part first. The same one is used for all of a directory. */
class LongRun {
  #entries = 0;
  #expected = 0;
  #checksum = -1;

  /** How many entries it has so far. */
  get length(): number {
    return this.#entries;
  }

  clear(): void {
    this.#entries = 0;
    this.#expected = 0;
    this.#checksum = -1;
  }

  /** Takes the next entry; true when it breaks the run before it. */
  add(bytes: Uint8Array, at: number): boolean {
    const { order: orderAt, checksum: checksumAt } = LONG.offsets;
    const order = bytes[at + orderAt]! & ~LAST_LONG;
    const checksum = bytes[at + checksumAt]!;
    if (bytes[at + orderAt]! & LAST_LONG) {
      const broke = this.#entries > 0;
      this.clear();
      if (order < 1 || order > MAX_LONG_ENTRIES) return true;
      this.#expected = order - 1;
      this.#checksum = checksum;
      this.#entries = 1;
      return broke;
    }
    if (order !== this.#expected || checksum !== this.#checksum || order < 1) {
      this.clear();
      return true;
    }
    this.#expected -= 1;
    this.#entries += 1;
    return false;
  }

  /** Whether the run is whole and belongs to the short name at `at`. */
  belongsTo(bytes: Uint8Array, at: number): boolean {
    if (this.#entries === 0 || this.#expected !== 0) return false;
    return shortNameChecksum(bytes, at) === this.#checksum;
  }
}

/** The slots of a new entry: its long-name entries, if any, and the short one. The caller owns the result. */
export function buildSlots(entry: Partial<RawEntry> & { name: Uint8Array }, longName: string | undefined): Uint8Array {
  const count = longName === undefined ? 0 : Math.ceil(longName.length / CHARACTERS_A_LONG_ENTRY);
  const out = new Uint8Array((count + 1) * DIRECTORY_ENTRY_BYTES);
  const checksum = shortNameChecksum(entry.name);
  for (let i = 0; i < count; i++) {
    const order = count - i;
    const bytes = longPart(longName!, (order - 1) * CHARACTERS_A_LONG_ENTRY);
    LONG.encode(
      {
        order: i === 0 ? order | LAST_LONG : order,
        first: bytes.subarray(0, 10),
        attributes: LONG_NAME,
        type: 0,
        checksum,
        second: bytes.subarray(10, 22),
        cluster: 0,
        third: bytes.subarray(22, 26),
      },
      out,
      i * DIRECTORY_ENTRY_BYTES,
    );
  }
  ENTRY.encode(entry, out, count * DIRECTORY_ENTRY_BYTES);
  return out;
}

/** Thirteen characters from `from` on, ended by a zero if there is room and padded with 0xFFFF. */
function longPart(name: string, from: number): Uint8Array {
  const out = new Uint8Array(26).fill(0xff);
  for (let i = 0; i < CHARACTERS_A_LONG_ENTRY && from + i <= name.length; i++) {
    const code = from + i < name.length ? name.charCodeAt(from + i) : 0;
    out[i * 2] = code & 0xff;
    out[i * 2 + 1] = code >> 8;
  }
  return out;
}

/** The start cluster of the short entry at `at`; the upper half counts on FAT32 only. */
export function startCluster(bytes: Uint8Array, at: number, wide: boolean): number {
  const low = u16At(bytes, at + ENTRY.offsets.clusterLow);
  return wide ? u16At(bytes, at + ENTRY.offsets.clusterHigh) * 0x10000 + low : low;
}

/** The bits of an attribute byte in words. */
export function attributeWords(attributes: number): string[] {
  return (['readOnly', 'hidden', 'system', 'archive'] as const)
    .filter((key) => attributes & ATTRIBUTE[key])
    .map((key) => (key === 'readOnly' ? 'read-only' : key));
}

/** An attribute byte from words; unknown words are left out. */
export function attributeByte(words: readonly string[]): number {
  return words.reduce((byte, word) => {
    const key = word === 'read-only' ? 'readOnly' : word;
    return byte | (key in ATTRIBUTE && key !== 'label' && key !== 'folder' ? ATTRIBUTE[key as 'hidden'] : 0);
  }, 0);
}
