/**
 * Building folders: entries in blocks, and above them an index by the hashes of names where there are many.
 *
 * “ext4 Data Structures and Algorithms”, “Directory Entries” and “Hash Tree Directories”.
 */
import {
  ENTRY_HEAD,
  INDEX_ENTRY,
  INDEX_HEAD,
  indexAt,
  INFO_AT,
  lengthFor,
  ROOT_INDEX_AT,
  sealBlock,
  storedLength,
  TAIL_BYTES,
  TAIL_TYPE,
  typeCode,
} from './folder';
import { TYPE, viewOf } from './inode';
import { nameHash } from './name-hash';

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

const DOT = Uint8Array.of(0x2e);
const DOTS = Uint8Array.of(0x2e, 0x2e);
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
