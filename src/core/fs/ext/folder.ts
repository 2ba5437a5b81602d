/**
 * Folders: blocks of entries, in order of their names' hashes where there is an index, and folders inside their inode.
 *
 * “ext4 Data Structures and Algorithms”, “Directory Entries”. A folder that changes is built anew as a whole.
 */
import { crc32c } from '@/core/bytes';
import { TYPE, viewOf } from './inode';

export const ENTRY_HEAD = 8;
export const TAIL_BYTES = 12;
export const TAIL_TYPE = 0xde;
export const INDEX_HEAD = 8;
export const INDEX_ENTRY = 8;
/** Where the index of a root begins: behind both its own entries and what it says of itself. */
export const ROOT_INDEX_AT = 32;
export const INFO_AT = 24;

/** One name. The bytes are a view of the folder they were read from. */
interface NameEntry {
  readonly inode: number;
  readonly name: Uint8Array;
  /** What it is as the entry says; 0 where that is not stored. */
  readonly type: number;
  /** Where in the folder's content it begins. */
  readonly at: number;
}

/** Entries of a stretch of a folder, and what is wrong with it. */
export interface ReadEntries {
  readonly entries: readonly NameEntry[];
  readonly fault?: string;
}

/**
 * Goes over the entries between two places of a folder's content, unused ones left out.
 * @param visit is told the inode, where the name stands and how long it is, what it says it is, and where the entry begins
 * @returns what is wrong with it, if anything is
 */
export function eachEntry(
  bytes: Uint8Array,
  from: number,
  to: number,
  visit: (inode: number, nameAt: number, length: number, type: number, at: number) => void,
): string | undefined {
  for (let at = from; at + ENTRY_HEAD <= to;) {
    const inode = (bytes[at]! | (bytes[at + 1]! << 8) | (bytes[at + 2]! << 16) | (bytes[at + 3]! << 24)) >>> 0;
    const length = recordLength(bytes[at + 4]! | (bytes[at + 5]! << 8), to - from);
    const nameLength = bytes[at + 6]!;
    if (length < ENTRY_HEAD || length % 4 !== 0 || at + length > to || ENTRY_HEAD + nameLength > length)
      return 'an entry is of a length that can’t be';
    if (inode !== 0 && nameLength > 0) visit(inode, at + ENTRY_HEAD, nameLength, bytes[at + 7]!, at);
    at += length;
  }
  return undefined;
}

/** The entries between two places, each as an object. */
export function entriesIn(bytes: Uint8Array, from: number, to: number): ReadEntries {
  const entries: NameEntry[] = [];
  const fault = eachEntry(bytes, from, to, (inode, nameAt, length, type, at) => {
    entries.push({ inode, name: bytes.subarray(nameAt, nameAt + length), type, at });
  });
  return fault === undefined ? { entries } : { entries, fault };
}

/** In blocks of 64 KiB the largest length does not fit its field. */
const recordLength = (stored: number, block: number): number =>
  block >= 65_536 && (stored === 0 || stored === 65_535) ? 65_536 : stored;
export const storedLength = (length: number): number => (length >= 65_536 ? 65_535 : length);

export const lengthFor = (nameBytes: number): number => (ENTRY_HEAD + nameBytes + 3) & ~3;

/** What a block of a folder is. */
export function blockKindOf(block: Uint8Array, first: boolean, indexed: boolean): 'entries' | 'index' {
  if (!indexed) return 'entries';
  if (first) return 'index';
  const view = viewOf(block);
  return view.getUint32(0, true) === 0 && recordLength(view.getUint16(4, true), block.length) === block.length
    ? 'index'
    : 'entries';
}

/** Whether a block's checksum agrees. */
export function isBlockSealed(block: Uint8Array, kind: 'entries' | 'index', first: boolean, seed: number): boolean {
  if (kind === 'index') {
    const at = indexAt(first);
    const { limit, count } = indexHead(block, at);
    if (count > limit || at + INDEX_ENTRY * limit + 8 > block.length) return false;
    return viewOf(block).getUint32(at + INDEX_ENTRY * limit + 4, true) === indexSum(block, at, limit, count, seed);
  }
  const tail = block.length - TAIL_BYTES;
  if (block[tail + 7] !== TAIL_TYPE) return false;
  return viewOf(block).getUint32(block.length - 4, true) === crc32c(block.subarray(0, tail), seed);
}

/** Puts a block's checksum in its place. */
export function sealBlock(block: Uint8Array, kind: 'entries' | 'index', first: boolean, seed: number): void {
  const view = viewOf(block);
  if (kind === 'index') {
    const at = indexAt(first);
    const { limit, count } = indexHead(block, at);
    view.setUint32(at + INDEX_ENTRY * limit + 4, indexSum(block, at, limit, count, seed), true);
  } else {
    view.setUint32(block.length - 4, crc32c(block.subarray(0, block.length - TAIL_BYTES), seed), true);
  }
}

export const indexAt = (first: boolean): number => (first ? ROOT_INDEX_AT : INDEX_HEAD);
const indexHead = (block: Uint8Array, at: number): { limit: number; count: number } => {
  const view = viewOf(block);
  return { limit: view.getUint16(at, true), count: view.getUint16(at + 2, true) };
};

function indexSum(block: Uint8Array, at: number, limit: number, count: number, seed: number): number {
  const tail = at + INDEX_ENTRY * limit;
  const own = crc32c(block.subarray(tail, tail + 4), crc32c(block.subarray(0, at + INDEX_ENTRY * count), seed));
  return crc32c(new Uint8Array(4), own);
}

/** What an index says, for the check of it. */
export interface IndexBlock {
  readonly version: number;
  readonly levels: number;
  readonly limit: number;
  readonly entries: readonly { readonly hash: number; readonly block: number }[];
}

/** Reads an index; undefined where it makes no sense. */
export function indexIn(block: Uint8Array, first: boolean): IndexBlock | undefined {
  const view = viewOf(block);
  const at = indexAt(first);
  const { limit, count } = indexHead(block, at);
  if (count > limit || count === 0 || at + INDEX_ENTRY * limit > block.length) return undefined;
  const entries = Array.from({ length: count }, (_, i) => ({
    hash: i === 0 ? 0 : view.getUint32(at + INDEX_ENTRY * i, true),
    block: view.getUint32(at + INDEX_ENTRY * i + 4, true),
  }));
  return {
    version: first ? view.getUint8(INFO_AT + 4) : 0,
    levels: first ? view.getUint8(INFO_AT + 6) : 0,
    limit,
    entries,
  };
}

const TYPE_CODES: readonly (readonly [number, number])[] = [
  [TYPE.file, 1],
  [TYPE.folder, 2],
  [TYPE.character, 3],
  [TYPE.block, 4],
  [TYPE.fifo, 5],
  [TYPE.socket, 6],
  [TYPE.link, 7],
];

/** The code that an entry has for the type of an inode. */
export const typeCode = (type: number): number => TYPE_CODES.find(([t]) => t === type)?.[1] ?? 0;

/** The two names that every folder has: its own, and that of the folder above it. */
export const isDots = (name: Uint8Array): boolean =>
  name[0] === 0x2e && (name.length === 1 || (name.length === 2 && name[1] === 0x2e));
