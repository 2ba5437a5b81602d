/** Building extent trees, and block maps for volumes that have no trees. */
import { crc32c } from '@/core/bytes';
import { CoreError } from '@/core/errors';
import { DIRECT, ENTRY_BYTES, EXTENT, EXTENT_MAGIC, HEADER, INDEX, MAX_EXTENT, tailAt, type Extent } from './block-map';
import { IN_INODE_BYTES, viewOf } from './inode';
import type { Geometry } from './superblock';

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
