/**
 * Folders: blocks of entries, in order of their names' hashes where there is an index, and folders inside their inode.
 *
 * “ext4 Data Structures and Algorithms”, “Directory Entries”. A folder that changes is built anew as a whole.
 */
import { crc32c } from '@/core/bytes';
import { TYPE, viewOf } from './inode';
import { nameHash } from './name-hash';

const ENTRY_HEAD = 8;
const TAIL_BYTES = 12;
const TAIL_TYPE = 0xde;
const INDEX_HEAD = 8;
const INDEX_ENTRY = 8;
/** Where the index of a root begins: behind both its own entries and what it says of itself. */
const ROOT_INDEX_AT = 32;
const INFO_AT = 24;
export const MAX_NAME = 255;

/** One name. The bytes are a view of the folder they were read from. */
export interface NameEntry {
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

/** Reads the entries between two places of a folder's content, unused ones left out. */
export function entriesIn(bytes: Uint8Array, from: number, to: number): ReadEntries {
  const view = viewOf(bytes);
  const entries: NameEntry[] = [];
  for (let at = from; at + ENTRY_HEAD <= to;) {
    const inode = view.getUint32(at, true);
    const length = recordLength(view.getUint16(at + 4, true), to - from);
    const nameLength = view.getUint8(at + 6);
    if (length < ENTRY_HEAD || length % 4 !== 0 || at + length > to || ENTRY_HEAD + nameLength > length)
      return { entries, fault: 'an entry is of a length that can’t be' };
    if (inode !== 0 && nameLength > 0)
      entries.push({
        inode,
        name: bytes.subarray(at + ENTRY_HEAD, at + ENTRY_HEAD + nameLength),
        type: view.getUint8(at + 7),
        at,
      });
    at += length;
  }
  return { entries };
}

/** In blocks of 64 KiB the largest length does not fit its field. */
const recordLength = (stored: number, block: number): number =>
  block >= 65_536 && (stored === 0 || stored === 65_535) ? 65_536 : stored;
const storedLength = (length: number): number => (length >= 65_536 ? 65_535 : length);

const lengthFor = (nameBytes: number): number => (ENTRY_HEAD + nameBytes + 3) & ~3;

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

const indexAt = (first: boolean): number => (first ? ROOT_INDEX_AT : INDEX_HEAD);
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

/** How folders are written. */
export interface FolderStyle {
  readonly blockSize: number;
  /** What the checksums of its blocks begin with; none where there are none. */
  readonly seed: number | undefined;
  /** Whether entries say what they are of. */
  readonly typed: boolean;
  /** The hash of an index, where there may be one. */
  readonly index?: {
    readonly version: number;
    readonly signed: number;
    readonly seed: Uint8Array;
    readonly deep: boolean;
  };
}

/** An entry of a folder that is built. */
export interface NewEntry {
  readonly inode: number;
  readonly name: Uint8Array;
  readonly type: number;
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

const DOT = Uint8Array.of(0x2e);
const DOTS = Uint8Array.of(0x2e, 0x2e);
export const isDots = (name: Uint8Array): boolean =>
  name[0] === 0x2e && (name.length === 1 || (name.length === 2 && name[1] === 0x2e));

/** All blocks of a folder, with an index where it has more than one block and may have one. */
export function buildFolder(
  own: number,
  parent: number,
  entries: readonly NewEntry[],
  style: FolderStyle,
): { readonly blocks: Uint8Array[]; readonly indexed: boolean } {
  const dots = [
    { inode: own, name: DOT, type: typeCode(TYPE.folder) },
    { inode: parent, name: DOTS, type: typeCode(TYPE.folder) },
  ];
  const plain = packed([...dots, ...entries], style);
  if (plain.length === 1 || !style.index) return { blocks: plain, indexed: false };
  const blocks = indexedBlocks(dots, entries, style, style.index);
  return blocks ? { blocks, indexed: true } : { blocks: plain, indexed: false };
}

/** Entries in blocks one behind the other; the last of each is as long as there is room. */
function packed(entries: readonly NewEntry[], style: FolderStyle): Uint8Array[] {
  const blocks: Uint8Array[] = [];
  let part: NewEntry[] = [];
  let used = 0;
  for (const entry of entries) {
    const length = lengthFor(entry.name.length);
    if (used + length > roomIn(style)) {
      blocks.push(entryBlock(part, style));
      [part, used] = [[], 0];
    }
    part.push(entry);
    used += length;
  }
  blocks.push(entryBlock(part, style));
  return blocks;
}

const roomIn = ({ blockSize, seed }: FolderStyle): number => blockSize - (seed === undefined ? 0 : TAIL_BYTES);

export function entryBlock(entries: readonly NewEntry[], style: FolderStyle): Uint8Array {
  const out = new Uint8Array(style.blockSize);
  const view = viewOf(out);
  const room = roomIn(style);
  let at = 0;
  entries.forEach((entry, i) => {
    const length = i === entries.length - 1 ? room - at : lengthFor(entry.name.length);
    putEntry(out, at, entry, length, style.typed);
    at += length;
  });
  if (entries.length === 0) view.setUint16(4, storedLength(room), true);
  if (style.seed !== undefined) {
    view.setUint16(room + 4, TAIL_BYTES, true);
    view.setUint8(room + 7, TAIL_TYPE);
    sealBlock(out, 'entries', false, style.seed);
  }
  return out;
}

function putEntry(out: Uint8Array, at: number, { inode, name, type }: NewEntry, length: number, typed: boolean): void {
  const view = viewOf(out);
  view.setUint32(at, inode, true);
  view.setUint16(at + 4, storedLength(length), true);
  view.setUint8(at + 6, name.length);
  view.setUint8(at + 7, typed ? type : 0);
  out.set(name, at + ENTRY_HEAD);
}

/** Leaves are filled to three quarters, so that a name that comes later does not split one at once. */
const FILL = 0.75;

function indexedBlocks(
  dots: readonly NewEntry[],
  entries: readonly NewEntry[],
  style: FolderStyle,
  index: NonNullable<FolderStyle['index']>,
): Uint8Array[] | undefined {
  const hashed = entries
    .map((entry) => ({ entry, hash: nameHash(entry.name, index.version + index.signed, index.seed) }))
    .sort((a, b) => a.hash - b.hash);
  const leaves: { hash: number; block: Uint8Array }[] = [];
  let part: NewEntry[] = [];
  let used = 0;
  let first = 0;
  let last = -1;
  const close = (): void => {
    if (part.length === 0) return;
    // The lowest bit says that names of this hash stand in the leaf before as well.
    leaves.push({ hash: first, block: entryBlock(part, style) });
    [part, used] = [[], 0];
  };
  for (const { entry, hash } of hashed) {
    const length = lengthFor(entry.name.length);
    const full = used + length > roomIn(style);
    if (full || (used + length > roomIn(style) * FILL && hash !== last)) {
      const goesOn = hash === last;
      close();
      first = goesOn ? hash + 1 : hash;
    }
    part.push(entry);
    used += length;
    last = hash;
  }
  close();
  return linked(dots, leaves, style, index);
}

/** Leaves below one, two or three levels of index. */
function linked(
  dots: readonly NewEntry[],
  leaves: readonly { readonly hash: number; readonly block: Uint8Array }[],
  style: FolderStyle,
  { version, deep }: NonNullable<FolderStyle['index']>,
): Uint8Array[] | undefined {
  const tail = style.seed === undefined ? 0 : 1;
  const rootLimit = (style.blockSize - ROOT_INDEX_AT) / INDEX_ENTRY - tail;
  const nodeLimit = (style.blockSize - INDEX_HEAD) / INDEX_ENTRY - tail;
  const blocks: Uint8Array[] = [new Uint8Array(style.blockSize), ...leaves.map((l) => l.block)];
  let level = leaves.map(({ hash }, i) => ({ hash, block: 1 + i }));
  let levels = 0;
  while (level.length > rootLimit) {
    const above: { hash: number; block: number }[] = [];
    for (let from = 0; from < level.length; from += nodeLimit) {
      const node = new Uint8Array(style.blockSize);
      viewOf(node).setUint16(4, storedLength(style.blockSize), true);
      putIndex(node, false, nodeLimit, level.slice(from, from + nodeLimit), style.seed);
      above.push({ hash: level[from]!.hash, block: blocks.length });
      blocks.push(node);
    }
    level = above;
    levels += 1;
  }
  if (levels > (deep ? 2 : 1)) return undefined;
  const root = blocks[0]!;
  putEntry(root, 0, dots[0]!, 12, style.typed);
  putEntry(root, 12, dots[1]!, style.blockSize - 12, style.typed);
  root.set([0, 0, 0, 0, version, 8, levels, 0], INFO_AT);
  putIndex(root, true, rootLimit, level, style.seed);
  return blocks;
}

function putIndex(
  block: Uint8Array,
  first: boolean,
  limit: number,
  entries: readonly { readonly hash: number; readonly block: number }[],
  seed: number | undefined,
): void {
  const view = viewOf(block);
  const at = indexAt(first);
  entries.forEach(({ hash, block: to }, i) => {
    view.setUint32(at + INDEX_ENTRY * i, hash, true);
    view.setUint32(at + INDEX_ENTRY * i + 4, to, true);
  });
  view.setUint16(at, limit, true);
  view.setUint16(at + 2, entries.length, true);
  if (seed !== undefined) sealBlock(block, 'index', first, seed);
}

/** A lone low surrogate stands for a byte that is no text. */
const ESCAPE = 0xdc00;
const STRICT = new TextDecoder('utf-8', { fatal: true, ignoreBOM: true });

/** Names as text: UTF-8, and what is none of it in a way that leads back to the same bytes. */
export function nameText(bytes: Uint8Array): string {
  const whole = decoded(bytes);
  if (whole !== undefined) return whole;
  let out = '';
  for (let at = 0; at < bytes.length;) {
    const length = [1, 2, 3, 4].find(
      (n) => at + n <= bytes.length && decoded(bytes.subarray(at, at + n)) !== undefined,
    );
    out += length === undefined ? String.fromCharCode(ESCAPE + bytes[at]!) : decoded(bytes.subarray(at, at + length))!;
    at += length ?? 1;
  }
  return out;
}

function decoded(bytes: Uint8Array): string | undefined {
  try {
    return STRICT.decode(bytes);
  } catch {
    return undefined;
  }
}

const ENCODER = new TextEncoder();

/** The bytes of a name; the inverse of {@link nameText}. */
export function nameBytes(text: string): Uint8Array {
  if (!/[\udc80-\udcff]/.test(text)) return ENCODER.encode(text);
  const out: number[] = [];
  for (const letter of text) {
    const code = letter.charCodeAt(0);
    if (letter.length === 1 && code >= ESCAPE + 0x80 && code <= ESCAPE + 0xff) out.push(code - ESCAPE);
    else out.push(...ENCODER.encode(letter));
  }
  return Uint8Array.from(out);
}

/** Why a name can't be that of an entry. */
export function extNameFault(name: string): 'letters' | 'length' | undefined {
  if (nameBytes(name).length > MAX_NAME) return 'length';
  return name === '' || name === '.' || name === '..' || /[/\0]/.test(name) ? 'letters' : undefined;
}
