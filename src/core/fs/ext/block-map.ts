/**
 * Where the blocks of an inode are: extent trees, and the block maps that came before them.
 *
 * “ext4 Data Structures and Algorithms”, “The Contents of inode.i_block”. Every tree is walked with a bound on its depth
 * and on the blocks that a volume has, and each of its blocks is gone through once.
 */
import { crc32c, struct, u16, u32 } from '@/core/bytes';
import type { BlockDevice } from '@/core/device';
import { FLAG, flagsOf, halfAt, IN_INODE_BYTES, inodeSeed, MAP_AT, sizeOf, typeOf, TYPE, viewOf } from './inode';
import { has, type Geometry } from './superblock';

export const EXTENT_MAGIC = 0xf30a;
const MAX_DEPTH = 5;
export const ENTRY_BYTES = 12;
export const MAX_EXTENT = 32_768;
export const DIRECT = 12;

export const HEADER = struct('extent header', 12, { magic: u16(0), count: u16(2), max: u16(4), depth: u16(6) });
export const INDEX = struct('extent index', 12, { logical: u32(0), low: u32(4), high: u16(8) });
export const EXTENT = struct('extent', 12, { logical: u32(0), length: u16(4), high: u16(6), low: u32(8) });

/** A stretch of a file, in blocks. One that was never written reads as zeros, whatever its blocks hold. */
export interface Extent {
  readonly logical: number;
  readonly block: number;
  readonly length: number;
  readonly unwritten?: boolean;
}

/** All of an inode's blocks. */
export interface BlockMap {
  readonly extents: readonly Extent[];
  /** Blocks of the tree or map itself, in the order in which they were met. */
  readonly inner: readonly number[];
  /** What is wrong with it, if anything is: what can't be followed is left out. */
  readonly fault?: string;
}

const NOTHING: BlockMap = { extents: [], inner: [] };

/** Whether an inode has a tree or map at all: short links, data inside of it, and devices have none. */
export function hasMap(bytes: Uint8Array): boolean {
  const flags = flagsOf(bytes);
  if (has(flags, FLAG.inlineData)) return false;
  const type = typeOf(bytes);
  if (type === TYPE.file || type === TYPE.folder) return true;
  if (type !== TYPE.link) return type === 0;
  return has(flags, FLAG.extents) || sizeOf(bytes) >= IN_INODE_BYTES;
}

/** Reads all of an inode's blocks. @throws CoreError `device.read-failed` */
export async function readBlockMap(
  device: BlockDevice,
  g: Geometry,
  number: number,
  bytes: Uint8Array,
): Promise<BlockMap> {
  if (!hasMap(bytes)) return NOTHING;
  if (!has(flagsOf(bytes), FLAG.extents)) return new MapReader(device, g).read(bytes);
  return new TreeReader(device, g, number, bytes).read();
}

/** The extents of a tree that has all of them in the inode, without reading; undefined where it has more. */
export function extentsInside(bytes: Uint8Array): Extent[] | undefined {
  const count = halfAt(bytes, MAP_AT + 2);
  if (halfAt(bytes, MAP_AT) !== EXTENT_MAGIC || halfAt(bytes, MAP_AT + 6) !== 0 || count > 4) return undefined;
  const out: Extent[] = [];
  for (let i = 1; i <= count; i++) out.push(extentAt(bytes, MAP_AT + ENTRY_BYTES * i));
  return out;
}

/** Whether the tree in an inode is all there is of it, and makes sense: asked of every inode, so nothing is made of it. */
export function isShortTree(bytes: Uint8Array, g: Geometry): boolean {
  const count = halfAt(bytes, MAP_AT + 2);
  if (halfAt(bytes, MAP_AT) !== EXTENT_MAGIC || halfAt(bytes, MAP_AT + 6) !== 0 || count > 4) return false;
  let next = 0;
  for (let i = 1; i <= count; i++) {
    const at = MAP_AT + ENTRY_BYTES * i;
    const [logical, length, block] = [logicalAt(bytes, at), lengthAt(bytes, at), blockAt(bytes, at)];
    if (length === 0 || block < g.firstDataBlock || block + length > g.blockCount || logical < next) return false;
    next = logical + length;
  }
  return true;
}

const logicalAt = (bytes: Uint8Array, at: number): number => halfAt(bytes, at) + halfAt(bytes, at + 2) * 0x10000;
const blockAt = (bytes: Uint8Array, at: number): number =>
  halfAt(bytes, at + 8) + halfAt(bytes, at + 10) * 0x10000 + halfAt(bytes, at + 6) * 2 ** 32;

/** Lengths above the most say that nothing was ever written there. */
function lengthAt(bytes: Uint8Array, at: number): number {
  const coded = halfAt(bytes, at + 4);
  return coded > MAX_EXTENT ? coded - MAX_EXTENT : coded;
}

function extentAt(bytes: Uint8Array, at: number): Extent {
  const extent = { logical: logicalAt(bytes, at), block: blockAt(bytes, at), length: lengthAt(bytes, at) };
  return halfAt(bytes, at + 4) > MAX_EXTENT ? { ...extent, unwritten: true } : extent;
}

class TreeReader {
  readonly #extents: Extent[] = [];
  readonly #inner: number[] = [];
  #next = 0;
  #fault: string | undefined;

  constructor(
    private readonly device: BlockDevice,
    private readonly g: Geometry,
    private readonly number: number,
    private readonly bytes: Uint8Array,
  ) {}

  async read(): Promise<BlockMap> {
    const root = this.bytes.subarray(MAP_AT, MAP_AT + IN_INODE_BYTES);
    await this.#node(root, undefined);
    const out = { extents: this.#extents, inner: this.#inner };
    return this.#fault === undefined ? out : { ...out, fault: this.#fault };
  }

  async #node(node: Uint8Array, expected: number | undefined): Promise<void> {
    const { magic, count, max, depth } = HEADER.decode(node);
    const room = Math.floor((node.length - ENTRY_BYTES) / ENTRY_BYTES);
    if (magic !== EXTENT_MAGIC) return this.#is('a node of its extent tree has no signature');
    if (count > max || max > room) return this.#is('a node of its extent tree has more entries than room');
    if (depth > MAX_DEPTH || (expected !== undefined && depth !== expected))
      return this.#is('its extent tree is of a depth that can’t be');
    for (let i = 0; i < count; i++) {
      const at = ENTRY_BYTES * (1 + i);
      if (depth === 0) this.#add(extentAt(node, at));
      else {
        const { low, high } = INDEX.decode(node, at);
        await this.#below(low + high * 2 ** 32, depth - 1);
      }
    }
  }

  async #below(block: number, depth: number): Promise<void> {
    const { g } = this;
    if (block < g.firstDataBlock || block >= g.blockCount) return this.#is('its extent tree leads out of the volume');
    if (this.#inner.length >= g.blockCount) return this.#is('its extent tree loops');
    this.#inner.push(block);
    const node = await this.device.bytes(block * g.blockSize, g.blockSize);
    if (g.checksums && !isNodeSealed(node, inodeSeed(this.number, this.bytes, g)))
      this.#is('the checksum of a node of its extent tree does not agree');
    await this.#node(node, depth);
  }

  #add(extent: Extent): void {
    const { logical, block, length } = extent;
    const inside = block >= this.g.firstDataBlock && block + length <= this.g.blockCount;
    if (length === 0 || !inside) return this.#is('an extent lies outside the volume');
    if (logical < this.#next) return this.#is('its extents are not in order');
    this.#next = logical + length;
    this.#extents.push(extent);
  }

  #is(fault: string): void {
    this.#fault ??= fault;
  }
}

/** Reads the twelve blocks, and those that list more, up to three deep. */
class MapReader {
  readonly #extents: { logical: number; block: number; length: number }[] = [];
  readonly #inner: number[] = [];
  #fault: string | undefined;

  constructor(
    private readonly device: BlockDevice,
    private readonly g: Geometry,
  ) {}

  async read(bytes: Uint8Array): Promise<BlockMap> {
    const { blockSize } = this.g;
    const view = viewOf(bytes);
    const entry = (n: number): number => view.getUint32(MAP_AT + 4 * n, true);
    for (let n = 0; n < DIRECT; n++) this.#add(n, entry(n));
    const per = blockSize / 4;
    let logical = DIRECT;
    for (let depth = 1; depth <= 3; depth++) {
      const block = entry(DIRECT + depth - 1);
      if (block !== 0) await this.#list(block, depth, logical);
      logical += per ** depth;
    }
    const out = { extents: this.#extents, inner: this.#inner };
    return this.#fault === undefined ? out : { ...out, fault: this.#fault };
  }

  async #list(block: number, depth: number, logical: number): Promise<void> {
    const { g, device } = this;
    if (block < g.firstDataBlock || block >= g.blockCount) {
      this.#fault ??= 'its block map leads out of the volume';
      return;
    }
    if (this.#inner.length >= g.blockCount) {
      this.#fault ??= 'its block map loops';
      return;
    }
    this.#inner.push(block);
    const entries = new DataView((await device.bytes(block * g.blockSize, g.blockSize)).buffer);
    const per = g.blockSize / 4;
    for (let i = 0; i < per; i++) {
      const next = entries.getUint32(4 * i, true);
      if (next === 0) continue;
      if (depth === 1) this.#add(logical + i, next);
      else await this.#list(next, depth - 1, logical + i * per ** (depth - 1));
    }
  }

  #add(logical: number, block: number): void {
    if (block === 0) return;
    if (block < this.g.firstDataBlock || block >= this.g.blockCount) {
      this.#fault ??= 'a block lies outside the volume';
      return;
    }
    const last = this.#extents.at(-1);
    if (last && last.block + last.length === block && last.logical + last.length === logical) last.length += 1;
    else this.#extents.push({ logical, block, length: 1 });
  }
}

/** Where the checksum of a node stands: behind as many entries as it has room for. */
export const tailAt = (node: Uint8Array): number => ENTRY_BYTES * (1 + HEADER.decode(node).max);

function isNodeSealed(node: Uint8Array, seed: number): boolean {
  const at = tailAt(node);
  return at + 4 <= node.length && viewOf(node).getUint32(at, true) === crc32c(node.subarray(0, at), seed);
}
