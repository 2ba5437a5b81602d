/**
 * Extended attributes: in the inode behind its fields, in a block of their own, and values in inodes of their own.
 *
 * “ext4 Data Structures and Algorithms”, “Extended Attributes” and “Inline Data”.
 */
import { crc32c, struct, u16, u32, u8 } from '@/core/bytes';
import type { BlockDevice } from '@/core/device';
import { attributeBlockOf, extraSizeOf, MAP_AT, sizeOf, viewOf } from './inode';
import type { Geometry } from './superblock';

export const MAGIC = 0xea020000;
export const INODE_FIELDS = 128;
export const HEAD_BYTES = 32;
export const ENTRY_HEAD = 16;
/** The prefix of content that stands in its inode. */
export const SYSTEM = 7;
const CHECKSUM_AT = 0x10;

const ENTRY = struct('attribute', ENTRY_HEAD, {
  nameLength: u8(0),
  prefix: u8(1),
  valueAt: u16(2),
  valueInode: u32(4),
  valueSize: u32(8),
  hash: u32(12),
});

/** One attribute: its name's prefix as a number, the rest of its name, and its value, or the inode that holds it. */
export interface Attribute {
  readonly prefix: number;
  readonly name: Uint8Array;
  readonly value: Uint8Array;
  readonly inode: number;
}

/** The attributes that stand in a stretch of entries whose values lie at places counted from `base`. */
function attributesIn(bytes: Uint8Array, from: number, base: number): Attribute[] {
  const view = viewOf(bytes);
  const out: Attribute[] = [];
  for (let at = from; at + 4 <= bytes.length && view.getUint32(at, true) !== 0;) {
    if (at + ENTRY_HEAD > bytes.length) break;
    const { nameLength, prefix, valueAt, valueInode, valueSize } = ENTRY.decode(bytes, at);
    const start = base + valueAt;
    const end = at + ENTRY_HEAD + nameLength;
    if (end > bytes.length || (valueInode === 0 && start + valueSize > bytes.length)) break;
    out.push({
      prefix,
      name: bytes.slice(at + ENTRY_HEAD, end),
      value: valueInode === 0 ? bytes.slice(start, start + valueSize) : new Uint8Array(),
      inode: valueInode,
    });
    at = (end + 3) & ~3;
  }
  return out;
}

/** Whether attributes begin here, asked of every inode. */
const isMarked = (bytes: Uint8Array, at: number): boolean =>
  bytes[at + 3] === 0xea && bytes[at + 2] === 0x02 && bytes[at + 1] === 0 && bytes[at] === 0;

/** The attributes inside an inode. */
export function attributesInside(inode: Uint8Array): Attribute[] {
  const at = INODE_FIELDS + extraSizeOf(inode);
  if (inode.length <= INODE_FIELDS || at + 4 > inode.length || !isMarked(inode, at)) return [];
  return attributesIn(inode, at + 4, at + 4);
}

/** The attributes of a block. */
const attributesOfBlock = (block: Uint8Array): Attribute[] =>
  viewOf(block).getUint32(0, true) === MAGIC ? attributesIn(block, HEAD_BYTES, 0) : [];

/** All attributes of an inode; values that have inodes of their own are left out. */
export async function attributesOf(device: BlockDevice, g: Geometry, inode: Uint8Array): Promise<Attribute[]> {
  const block = attributeBlockOf(inode);
  const far =
    block > 0 && block < g.blockCount ? attributesOfBlock(await device.bytes(block * g.blockSize, g.blockSize)) : [];
  return [...attributesInside(inode), ...far];
}

const DATA = new TextEncoder().encode('data');

/** Content that stands in its inode: where blocks would be listed, and in an attribute where that was too short. */
export function inlineOf(inode: Uint8Array): Uint8Array {
  const first = inode.slice(MAP_AT, MAP_AT + 60);
  const more = attributesInside(inode).find(
    ({ prefix, name }) => prefix === SYSTEM && name.length === DATA.length && name.every((b, i) => b === DATA[i]),
  );
  const all = new Uint8Array(60 + (more?.value.length ?? 0));
  all.set(first);
  if (more) all.set(more.value, 60);
  return all.subarray(0, Math.min(all.length, sizeOf(inode)));
}

/** Puts the checksum of a block with attributes in its place, which depends on where it stands. */
export function sealAttributes(block: Uint8Array, number: number, g: Geometry): void {
  if (g.checksums) viewOf(block).setUint32(CHECKSUM_AT, blockSum(block, number, g), true);
}

export const isBlockOfAttributesSealed = (block: Uint8Array, number: number, g: Geometry): boolean =>
  !g.checksums || viewOf(block).getUint32(CHECKSUM_AT, true) === blockSum(block, number, g);

function blockSum(block: Uint8Array, number: number, g: Geometry): number {
  const own = new Uint8Array(8);
  const view = new DataView(own.buffer);
  view.setUint32(0, number % 2 ** 32, true);
  view.setUint32(4, Math.floor(number / 2 ** 32), true);
  const head = crc32c(block.subarray(0, CHECKSUM_AT), crc32c(own, g.seed));
  return crc32c(block.subarray(CHECKSUM_AT + 4), crc32c(new Uint8Array(4), head));
}

/** How many inodes share a block of attributes. */
export const referencesOf = (block: Uint8Array): number => viewOf(block).getUint32(4, true);
export const isAttributes = (block: Uint8Array): boolean => viewOf(block).getUint32(0, true) === MAGIC;
export const setReferences = (block: Uint8Array, count: number): void => viewOf(block).setUint32(4, count, true);

/** Content of an inode in the place of what it has, as long as that. */
export function putInline(inode: Uint8Array, content: Uint8Array): void {
  inode.set(content.subarray(0, 60), MAP_AT);
  const more = content.subarray(60);
  if (more.length === 0) return;
  const at = INODE_FIELDS + extraSizeOf(inode) + 4;
  for (const { entry, prefix, valueAt } of entriesAt(inode, at))
    if (prefix === SYSTEM && inode[entry + ENTRY_HEAD] === DATA[0]) inode.set(more, at + valueAt);
}

function* entriesAt(bytes: Uint8Array, from: number): Generator<ReturnType<typeof ENTRY.decode> & { entry: number }> {
  const view = viewOf(bytes);
  for (let at = from; at + ENTRY_HEAD <= bytes.length && view.getUint32(at, true) !== 0;) {
    const fields = ENTRY.decode(bytes, at);
    yield { ...fields, entry: at };
    at = (at + ENTRY_HEAD + fields.nameLength + 3) & ~3;
  }
}

/** Changes the numbers of inodes that hold values. @returns whether there were any */
export function patchValueInodes(
  bytes: Uint8Array,
  where: 'inode' | 'block',
  numbers: ReadonlyMap<number, number>,
): boolean {
  const from = where === 'block' ? HEAD_BYTES : INODE_FIELDS + extraSizeOf(bytes) + 4;
  if (where === 'block' && !isAttributes(bytes)) return false;
  let any = false;
  for (const { entry, valueInode } of entriesAt(bytes, from)) {
    const now = numbers.get(valueInode);
    if (now === undefined) continue;
    ENTRY.encode({ valueInode: now }, bytes, entry);
    any = true;
  }
  return any;
}
