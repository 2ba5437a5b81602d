/**
 * Inodes: what a file is, whose it is, when it was changed, and where its blocks are.
 *
 * “ext4 Data Structures and Algorithms”, “Index Nodes” and “Inode Timestamps”.
 */
import { crc32c, raw, struct, u16, u32 } from '@/core/bytes';
import type { EntryKind, FileTimes } from '../entry';
import { has, RO_COMPAT, type Geometry } from './superblock';

export const ROOT_INODE = 2;
export const RESIZE_INODE = 7;
export const JOURNAL_INODE = 8;

export const TYPE = {
  fifo: 0x1000,
  character: 0x2000,
  folder: 0x4000,
  block: 0x6000,
  file: 0x8000,
  link: 0xa000,
  socket: 0xc000,
} as const;
const TYPE_MASK = 0xf000;

export const FLAG = {
  sync: 0x8,
  immutable: 0x10,
  append: 0x20,
  noDump: 0x40,
  noAccessTimes: 0x80,
  encrypt: 0x800,
  index: 0x1000,
  hugeFile: 0x40000,
  extents: 0x80000,
  verity: 0x100000,
  attributeInode: 0x200000,
  inlineData: 0x10000000,
  casefold: 0x40000000,
} as const;

/** The most bytes that fit beside the fields of an inode, where a short link or an extent tree begins. */
export const IN_INODE_BYTES = 60;
export const MAP_AT = 0x28;
const OLD_BYTES = 128;
const CHECKSUM_LOW_AT = 0x7c;
const CHECKSUM_HIGH_AT = 0x82;
const EXTRA_AT = 0x80;

export const INODE = struct('inode', OLD_BYTES, {
  mode: u16(0x0),
  uidLow: u16(0x2),
  sizeLow: u32(0x4),
  accessed: u32(0x8),
  changed: u32(0xc),
  modified: u32(0x10),
  deleted: u32(0x14),
  gidLow: u16(0x18),
  links: u16(0x1a),
  blocksLow: u32(0x1c),
  flags: u32(0x20),
  map: raw(MAP_AT, IN_INODE_BYTES),
  generation: u32(0x64),
  attributesLow: u32(0x68),
  sizeHigh: u32(0x6c),
  blocksHigh: u16(0x74),
  attributesHigh: u16(0x76),
  uidHigh: u16(0x78),
  gidHigh: u16(0x7a),
  checksumLow: u16(CHECKSUM_LOW_AT),
});
const EXTRA = struct('inode, what was added', 160, {
  extraSize: u16(EXTRA_AT),
  checksumHigh: u16(CHECKSUM_HIGH_AT),
  changedExtra: u32(0x84),
  modifiedExtra: u32(0x88),
  accessedExtra: u32(0x8c),
  created: u32(0x90),
  createdExtra: u32(0x94),
  projectId: u32(0x9c),
});

/** What a mode says an entry is. */
export function entryKindOf(mode: number): EntryKind {
  const type = mode & TYPE_MASK;
  if (type === TYPE.folder) return 'folder';
  if (type === TYPE.file) return 'file';
  return type === TYPE.link ? 'link' : 'special';
}

/** A 32-bit field, read without a view: these are asked of every inode. */
const wordAt = (bytes: Uint8Array, at: number): number =>
  (bytes[at]! | (bytes[at + 1]! << 8) | (bytes[at + 2]! << 16) | (bytes[at + 3]! << 24)) >>> 0;
export const halfAt = (bytes: Uint8Array, at: number): number => bytes[at]! | (bytes[at + 1]! << 8);

/** @param at where the inode begins */
export const typeOf = (bytes: Uint8Array, at = 0): number => halfAt(bytes, at) & TYPE_MASK;
export const flagsOf = (bytes: Uint8Array): number => wordAt(bytes, 0x20);
export const linksOf = (bytes: Uint8Array): number => halfAt(bytes, 0x1a);
const generationOf = (bytes: Uint8Array): number => wordAt(bytes, 0x64);

export const viewOf = (bytes: Uint8Array): DataView => new DataView(bytes.buffer, bytes.byteOffset, bytes.length);

/** Bytes of a file or folder; of other things only the lower half is a size. */
export const sizeOf = (bytes: Uint8Array): number => wordAt(bytes, 0x4) + wordAt(bytes, 0x6c) * 2 ** 32;

/** Where the block with attributes is, or 0. */
export const attributeBlockOf = (bytes: Uint8Array): number => wordAt(bytes, 0x68) + halfAt(bytes, 0x76) * 2 ** 32;

export function ownerOf(bytes: Uint8Array): { mode: number; user: number; group: number } {
  const { mode, uidLow, uidHigh, gidLow, gidHigh } = INODE.decode(bytes);
  return { mode: mode & 0xfff, user: uidLow + uidHigh * 0x10000, group: gidLow + gidHigh * 0x10000 };
}

/** Units of 512 bytes that an inode is said to have in use; whole blocks where it says that it counts those. */
export function blocksOf(bytes: Uint8Array, g: Geometry): number {
  const low = wordAt(bytes, 0x1c);
  if (!has(g.super.roCompat, RO_COMPAT.hugeFile)) return low;
  const all = low + halfAt(bytes, 0x74) * 2 ** 32;
  return has(flagsOf(bytes), FLAG.hugeFile) ? all * (g.blockSize / 512) : all;
}

/** Says how many blocks are in use. */
export function setBlocks(bytes: Uint8Array, blocks: number, g: Geometry): void {
  const units = blocks * (g.blockSize / 512);
  const huge = units >= 2 ** 48 || (units >= 2 ** 32 && has(flagsOf(bytes), FLAG.hugeFile));
  const value = huge ? blocks : units;
  const flags = huge ? flagsOf(bytes) | FLAG.hugeFile : flagsOf(bytes) & ~FLAG.hugeFile;
  INODE.encode({ blocksLow: value % 2 ** 32, blocksHigh: Math.floor(value / 2 ** 32), flags: flags >>> 0 }, bytes);
}

/** Bytes behind the old 128 that have fields; what is behind them is for attributes. */
export const extraSizeOf = (bytes: Uint8Array): number =>
  bytes.length > OLD_BYTES ? Math.min(halfAt(bytes, EXTRA_AT), bytes.length - OLD_BYTES) : 0;

const hasExtra = (bytes: Uint8Array, end: number): boolean => OLD_BYTES + extraSizeOf(bytes) >= end;

/** Seconds since 1970, with two more bits above them and nanoseconds behind, where those are stored. */
function timeIn(seconds: number, extra: number | undefined): string | undefined {
  const signed = seconds | 0;
  const whole = signed + (extra === undefined ? 0 : (extra & 3) * 2 ** 32);
  const date = new Date(whole * 1000);
  const nanoseconds = extra === undefined ? 0 : extra >>> 2;
  const text = date.toISOString().slice(0, 19);
  return nanoseconds > 0 && nanoseconds < 1e9
    ? `${text}.${String(nanoseconds).padStart(9, '0').replace(/0+$/, '')}Z`
    : `${text}Z`;
}

export function timesOf(bytes: Uint8Array): FileTimes & { changed: string | undefined } {
  const { accessed, changed, modified } = INODE.decode(bytes);
  if (bytes.length <= OLD_BYTES || !hasExtra(bytes, 0x90))
    return {
      modified: timeIn(modified, undefined),
      accessed: timeIn(accessed, undefined),
      changed: timeIn(changed, undefined),
    };
  const e = EXTRA.decode(bytes);
  return {
    ...(hasExtra(bytes, 0x98) && e.created !== 0 ? { created: timeIn(e.created, e.createdExtra) } : {}),
    modified: timeIn(modified, e.modifiedExtra),
    accessed: timeIn(accessed, e.accessedExtra),
    changed: timeIn(changed, e.changedExtra),
  };
}

const LATEST = 2 ** 34 - 2 ** 31 - 1;
const EARLIEST = -(2 ** 31);

/** A time as the fields have it; one without a zone is taken as universal time. */
function stampOf(iso: string): { seconds: number; extra: number } {
  const zoned = /(Z|[+-]\d\d:\d\d)$/.test(iso.slice(10)) ? iso : iso.length > 10 ? `${iso}Z` : `${iso}T00:00:00Z`;
  const fraction = /\.(\d+)/.exec(zoned)?.[1] ?? '';
  const milliseconds = Date.parse(zoned.replace(/\.\d+/, ''));
  const seconds = Math.max(
    EARLIEST,
    Math.min(LATEST, Number.isNaN(milliseconds) ? 0 : Math.floor(milliseconds / 1000)),
  );
  const nanoseconds = Number(fraction.padEnd(9, '0').slice(0, 9));
  const epoch = Math.floor((seconds + 2 ** 31) / 2 ** 32);
  return { seconds: (seconds - epoch * 2 ** 32) >>> 0, extra: ((nanoseconds << 2) | epoch) >>> 0 };
}

/** A time that says nothing. */
const EPOCH = '1980-01-01T00:00:00Z';

/** Times as they come out of a volume with inodes of 256 bytes. */
export function storedTimes({ created, modified, accessed }: FileTimes): FileTimes {
  const read = (iso: string | undefined): string | undefined => {
    const { seconds, extra } = stampOf(iso ?? EPOCH);
    return timeIn(seconds, extra);
  };
  const all = { created: created ?? modified, modified, accessed: accessed ?? modified };
  return { created: read(all.created), modified: read(all.modified), accessed: read(all.accessed) };
}

/** Puts times into an inode. @param changed when anything of it was changed; its content's time if left out */
export function setTimes(bytes: Uint8Array, { created, modified, accessed }: FileTimes, changed?: string): void {
  const m = stampOf(modified ?? EPOCH);
  const a = stampOf(accessed ?? modified ?? EPOCH);
  const c = stampOf(changed ?? modified ?? EPOCH);
  INODE.encode({ accessed: a.seconds, changed: c.seconds, modified: m.seconds }, bytes);
  if (bytes.length <= OLD_BYTES || !hasExtra(bytes, 0x98)) return;
  const b = stampOf(created ?? modified ?? EPOCH);
  EXTRA.encode(
    {
      changedExtra: c.extra,
      modifiedExtra: m.extra,
      accessedExtra: a.extra,
      created: b.seconds,
      createdExtra: b.extra,
    },
    bytes,
  );
}

export function setExtraSize(bytes: Uint8Array, extraSize: number): void {
  if (bytes.length > OLD_BYTES) EXTRA.encode({ extraSize }, bytes);
}

const OWN = new Uint8Array(8);
const OWN_VIEW = viewOf(OWN);

/** An inode's number and generation, until the next time that it is asked for. */
function ownBytes(number: number, bytes: Uint8Array): Uint8Array {
  OWN_VIEW.setUint32(0, number, true);
  OWN_VIEW.setUint32(4, generationOf(bytes), true);
  return OWN;
}

/** What the checksums of all that belongs to an inode begin with. */
export const inodeSeed = (number: number, bytes: Uint8Array, g: Geometry): number =>
  crc32c(ownBytes(number, bytes), g.seed);

/** Room for an inode without its checksum, behind what its checksum begins with. */
let summed = new Uint8Array(OWN.length + 256);

/** Over one stretch: in pieces around the two fields, none of which is a multiple of what is taken at once, it takes half as long again. */
function inodeChecksum(number: number, bytes: Uint8Array, g: Geometry): number {
  const length = OWN.length + bytes.length;
  if (summed.length < length) summed = new Uint8Array(length);
  summed.set(bytes, OWN.length);
  summed.set(ownBytes(number, bytes));
  summed.fill(0, OWN.length + CHECKSUM_LOW_AT, OWN.length + CHECKSUM_LOW_AT + 2);
  if (bytes.length > OLD_BYTES && hasExtra(bytes, CHECKSUM_HIGH_AT + 2))
    summed.fill(0, OWN.length + CHECKSUM_HIGH_AT, OWN.length + CHECKSUM_HIGH_AT + 2);
  return crc32c(summed.subarray(0, length), g.seed);
}

/** Puts the checksum in its place. */
export function sealInode(number: number, bytes: Uint8Array, g: Geometry): void {
  if (!g.checksums) return;
  const sum = inodeChecksum(number, bytes, g);
  INODE.encode({ checksumLow: sum & 0xffff }, bytes);
  if (hasExtra(bytes, CHECKSUM_HIGH_AT + 2)) EXTRA.encode({ checksumHigh: sum >>> 16 }, bytes);
}

/** Whether the checksum is what it must be, or none is stored. */
export function isSealed(number: number, bytes: Uint8Array, g: Geometry): boolean {
  if (!g.checksums) return true;
  const sum = inodeChecksum(number, bytes, g);
  if (halfAt(bytes, CHECKSUM_LOW_AT) !== (sum & 0xffff)) return false;
  return !hasExtra(bytes, CHECKSUM_HIGH_AT + 2) || halfAt(bytes, CHECKSUM_HIGH_AT) === sum >>> 16;
}

const ATTRIBUTE_WORDS: readonly (readonly [number, string])[] = [
  [FLAG.immutable, 'immutable'],
  [FLAG.append, 'append-only'],
  [FLAG.noDump, 'no-dump'],
  [FLAG.noAccessTimes, 'no-access-times'],
  [FLAG.sync, 'synchronous'],
];
export const ATTRIBUTES: readonly string[] = ATTRIBUTE_WORDS.map(([, word]) => word);

export const attributesIn = (flags: number): string[] => [
  ...ATTRIBUTE_WORDS.filter(([bit]) => has(flags, bit)).map(([, word]) => word),
  ...(has(flags, FLAG.encrypt) ? ['encrypted'] : []),
];
export const flagsFor = (words: readonly string[] = []): number =>
  ATTRIBUTE_WORDS.filter(([, word]) => words.includes(word)).reduce((bits, [bit]) => bits | bit, 0);
