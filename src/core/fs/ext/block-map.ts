/**
 * Where the blocks of an inode are: extent trees, and the block maps that came before them.
 *
 * “ext4 Data Structures and Algorithms”, “The Contents of inode.i_block”. Every tree is walked with a bound on its depth
 * and on the blocks that a volume has, and each of its blocks is gone through once.
 */
import { crc32c, struct, u16, u32 } from '@/core/bytes';
import type { BlockDevice } from '@/core/device';
import { CoreError } from '@/core/errors';
import { FLAG, flagsOf, IN_INODE_BYTES, inodeSeed, MAP_AT, sizeOf, typeOf, TYPE, viewOf } from './inode';
import { has, type Geometry } from './superblock';

const EXTENT_MAGIC = 0xf30a;
export const MAX_DEPTH = 5;
export const ENTRY_BYTES = 12;
const MAX_EXTENT = 32_768;
const DIRECT = 12;

export const HEADER = struct('extent header', 12, { magic: u16(0), count: u16(2), max: u16(4), depth: u16(6) });
const INDEX = struct('extent index', 12, { logical: u32(0), low: u32(4), high: u16(8) });
const EXTENT = struct('extent', 12, { logical: u32(0), length: u16(4), high: u16(6), low: u32(8) });

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
  const root = bytes.subarray(MAP_AT, MAP_AT + IN_INODE_BYTES);
  const { magic, count, depth } = HEADER.decode(root);
  if (magic !== EXTENT_MAGIC || depth !== 0 || count > 4) return undefined;
  return Array.from({ length: count }, (_, i) => extentAt(root, ENTRY_BYTES * (1 + i)));
}

/** Whether the tree in an inode is all there is of it, and makes sense: asked of every inode, so nothing is made of it. */
export function isShortTree(bytes: Uint8Array, g: Geometry): boolean {
  const root = MAP_AT;
  const half = (at: number): number => bytes[root + at]! | (bytes[root + at + 1]! << 8);
  const count = half(2);
  if (half(0) !== EXTENT_MAGIC || half(6) !== 0 || count > 4) return false;
  let next = 0;
  for (let at = ENTRY_BYTES; at <= count * ENTRY_BYTES; at += ENTRY_BYTES) {
    const logical = half(at) + half(at + 2) * 0x10000;
    const coded = half(at + 4);
    const length = coded > MAX_EXTENT ? coded - MAX_EXTENT : coded;
    const block = half(at + 8) + half(at + 10) * 0x10000 + half(at + 6) * 2 ** 32;
    if (length === 0 || block < g.firstDataBlock || block + length > g.blockCount || logical < next) return false;
    next = logical + length;
  }
  return true;
}

function extentAt(bytes: Uint8Array, at: number): Extent {
  const { logical, length, high, low } = EXTENT.decode(bytes, at);
  const block = low + high * 2 ** 32;
  return length > MAX_EXTENT
    ? { logical, block, length: length - MAX_EXTENT, unwritten: true }
    : { logical, block, length };
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
const tailAt = (node: Uint8Array): number => ENTRY_BYTES * (1 + HEADER.decode(node).max);

export function isNodeSealed(node: Uint8Array, seed: number): boolean {
  const at = tailAt(node);
  return at + 4 <= node.length && viewOf(node).getUint32(at, true) === crc32c(node.subarray(0, at), seed);
}

/** Extents joined where they follow each other, and cut where they are too long for one entry. */
function entriesOf(extents: readonly Extent[]): Extent[] {
  const joined: Extent[] = [];
  for (const extent of extents) {
    const last = joined.at(-1);
    const follows =
      last &&
      last.block + last.length === extent.block &&
      last.logical + last.length === extent.logical &&
      (last.unwritten ?? false) === (extent.unwritten ?? false);
    if (follows) joined[joined.length - 1] = { ...last, length: last.length + extent.length };
    else joined.push(extent);
  }
  return joined.flatMap((extent) => {
    const most = extent.unwritten ? MAX_EXTENT - 1 : MAX_EXTENT;
    const parts: Extent[] = [];
    for (let at = 0; at < extent.length; at += most)
      parts.push({
        ...extent,
        logical: extent.logical + at,
        block: extent.block + at,
        length: Math.min(most, extent.length - at),
      });
    return parts;
  });
}

/** What stands in an inode, and the blocks that belong to it. */
export interface BuiltMap {
  readonly root: Uint8Array;
  readonly nodes: readonly { readonly block: number; readonly bytes: Uint8Array }[];
}

/** How many blocks of its own a map takes. */
export function innerBlocks(extents: readonly Extent[], asExtents: boolean, blockSize: number): number {
  if (!asExtents) return mapBlocks(extents, blockSize);
  const per = Math.floor((blockSize - ENTRY_BYTES - 4) / ENTRY_BYTES);
  let level = entriesOf(extents).length;
  let total = 0;
  while (level > 4) {
    level = Math.ceil(level / per);
    total += level;
  }
  return total;
}

/**
 * Builds an extent tree, or a block map.
 * @param take gives the next block for a node of it
 * @throws CoreError `fs.ability` where a block map can't have what it should
 */
export function buildMap(
  extents: readonly Extent[],
  asExtents: boolean,
  g: Pick<Geometry, 'blockSize' | 'checksums'>,
  seed: number,
  take: () => number,
): BuiltMap {
  return asExtents ? buildTree(extents, g, seed, take) : buildList(extents, g.blockSize, take);
}

function buildTree(
  extents: readonly Extent[],
  { blockSize, checksums }: Pick<Geometry, 'blockSize' | 'checksums'>,
  seed: number,
  take: () => number,
): BuiltMap {
  const nodes: { block: number; bytes: Uint8Array }[] = [];
  const max = Math.floor((blockSize - ENTRY_BYTES - 4) / ENTRY_BYTES);
  let level: Uint8Array<ArrayBufferLike>[] = [];
  let keys: number[] = [];
  for (const { logical, block, length, unwritten } of entriesOf(extents)) {
    const entry = new Uint8Array(ENTRY_BYTES);
    const coded = unwritten ? length + MAX_EXTENT : length;
    EXTENT.encode({ logical, length: coded, high: Math.floor(block / 2 ** 32), low: block % 2 ** 32 }, entry);
    level.push(entry);
    keys.push(logical);
  }
  let depth = 0;
  while (level.length > 4) {
    const above: Uint8Array[] = [];
    const aboveKeys: number[] = [];
    for (let from = 0; from < level.length; from += max) {
      const part = level.slice(from, from + max);
      const block = take();
      const bytes = nodeOf(part, max, depth, blockSize);
      if (checksums) viewOf(bytes).setUint32(tailAt(bytes), crc32c(bytes.subarray(0, tailAt(bytes)), seed), true);
      nodes.push({ block, bytes });
      const index = new Uint8Array(ENTRY_BYTES);
      INDEX.encode({ logical: keys[from]!, low: block % 2 ** 32, high: Math.floor(block / 2 ** 32) }, index);
      above.push(index);
      aboveKeys.push(keys[from]!);
    }
    level = above;
    keys = aboveKeys;
    depth += 1;
  }
  return { root: nodeOf(level, 4, depth, IN_INODE_BYTES), nodes };
}

function nodeOf(entries: readonly Uint8Array[], max: number, depth: number, size: number): Uint8Array {
  const out = new Uint8Array(size);
  HEADER.encode({ magic: EXTENT_MAGIC, count: entries.length, max, depth }, out);
  entries.forEach((entry, i) => out.set(entry, ENTRY_BYTES * (1 + i)));
  return out;
}

/** Where each logical block is, by lists of 32-bit numbers. */
function buildList(extents: readonly Extent[], blockSize: number, take: () => number): BuiltMap {
  const root = new Uint8Array(IN_INODE_BYTES);
  const nodes: { block: number; bytes: Uint8Array }[] = [];
  const lists = new Map<string, Uint8Array<ArrayBufferLike>>();
  const per = blockSize / 4;
  const listAt = (parent: Uint8Array, slot: number, key: string): Uint8Array => {
    const known = lists.get(key);
    if (known) return known;
    const bytes = new Uint8Array(blockSize);
    const block = take();
    viewOf(parent).setUint32(4 * slot, block, true);
    nodes.push({ block, bytes });
    lists.set(key, bytes);
    return bytes;
  };
  for (const { logical, block, length, unwritten } of extents) {
    if (unwritten || block + length > 2 ** 32) throw noList();
    for (let i = 0; i < length; i++) {
      const [depth, path] = pathOf(logical + i, per);
      let list: Uint8Array = root;
      for (let d = 0; d < depth; d++) list = listAt(list, path[d]!, path.slice(0, d + 1).join());
      viewOf(list).setUint32(4 * path[depth]!, block + i, true);
    }
  }
  return { root, nodes };
}

const noList = (): CoreError => new CoreError('fs.ability', { fileSystem: 'ext', ability: 'map a file of that size' });

/** How deep a logical block is listed, and its slots from the inode down. @throws CoreError `fs.ability` */
function pathOf(logical: number, per: number): [number, number[]] {
  if (logical < DIRECT) return [0, [logical]];
  let rest = logical - DIRECT;
  for (let depth = 1; depth <= 3; depth++) {
    if (rest < per ** depth) {
      const slots = [DIRECT + depth - 1];
      for (let d = depth - 1; d >= 0; d--) slots.push(Math.floor(rest / per ** d) % per);
      return [depth, slots];
    }
    rest -= per ** depth;
  }
  throw noList();
}

function mapBlocks(extents: readonly Extent[], blockSize: number): number {
  const per = blockSize / 4;
  const lists = new Set<string>();
  for (const { logical, length } of extents)
    for (let at = logical; at < logical + length;) {
      const [depth, path] = pathOf(at, per);
      for (let d = 1; d <= depth; d++) lists.add(path.slice(0, d).join());
      // All of one list at once.
      at = depth === 0 ? at + 1 : at + per - path[depth]!;
    }
  return lists.size;
}
