/** Whose blocks are whose: files and folders with their trees and attributes, structures, and what belongs to nobody. */
import { attributeBlockOf, RESIZE_INODE } from './inode';
import { bitOf, clusterCount, markBlocks, markStructures } from './bitmaps';
import { nextBit, onlyIn, setBits } from '../bitmap';
import type { Run } from '../free-space';
import { mapOf, type ExtState } from './state';
import { has, INCOMPAT } from './superblock';

export interface Ownership {
  /** Clusters of files, folders, their trees and attributes. */
  readonly files: Uint8Array;
  readonly structures: Uint8Array;
  /** In use, and nobody's; runs of clusters. */
  readonly strays: readonly Run[];
  /** Blocks that two say are theirs, some of them. */
  readonly crossed: readonly { readonly block: number; readonly inode: number }[];
  /** How many inodes have each block of attributes. */
  readonly shared: ReadonlyMap<number, number>;
}

const MOST_CROSSED = 100;

const known = new WeakMap<ExtState, Ownership>();

/** Worked out once for a volume. */
export function ownershipOf(state: ExtState): Ownership {
  const out = known.get(state) ?? workOut(state);
  known.set(state, out);
  return out;
}

function workOut(state: ExtState): Ownership {
  const { g, groups, bits, inodes } = state;
  const structures = new Uint8Array(bits.blocks.length);
  markStructures(structures, g, groups);
  if (has(g.super.incompat, INCOMPAT.multiMount)) markBlocks(structures, g, Number(g.super.multiMountBlock), 1);
  const files = new Uint8Array(bits.blocks.length);
  const crossed: { block: number; inode: number }[] = [];
  const shared = new Map<number, number>();
  const claim = (inode: number, block: number, length: number): void => {
    const [from, to] = [bitOf(g, block), bitOf(g, block + length - 1) + 1];
    const met = [nextBit(structures, from, to, true)];
    // Blocks of one file may share a cluster.
    if (g.clusterBlocks === 1) met.push(nextBit(files, from, to, true));
    const first = Math.min(...met);
    if (first < to && crossed.length < MOST_CROSSED)
      crossed.push({ block: g.firstDataBlock + first * g.clusterBlocks, inode });
    setBits(files, from, to, true);
  };
  for (const number of inodes.numbers()) {
    const { extents, inner } = mapOf(state, number);
    // Of the blocks that are kept for descriptors only the list is its own.
    if (number === RESIZE_INODE) {
      for (const block of inner.slice(0, 1)) claim(number, block, 1);
      continue;
    }
    for (const { block, length } of extents) claim(number, block, length);
    for (const block of inner) claim(number, block, 1);
    const attributes = attributeBlockOf(inodes.get(number)!);
    if (attributes === 0 || attributes < g.firstDataBlock || attributes >= g.blockCount) continue;
    const known = shared.get(attributes) ?? 0;
    shared.set(attributes, known + 1);
    if (known === 0) claim(number, attributes, 1);
  }
  const all = structures.map((byte, i) => byte | files[i]!);
  return { files, structures, strays: onlyIn(bits.blocks, all, clusterCount(g)), crossed, shared };
}
