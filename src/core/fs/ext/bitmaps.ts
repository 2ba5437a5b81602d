/**
 * Which blocks and inodes are in use: the bitmaps of all groups one behind the other.
 *
 * Bit n of the first is cluster n behind the first data block, of the second inode n + 1. Groups whose bitmaps were never
 * written have nothing in use but their own structures.
 */
import type { BlockDevice } from '@/core/device';
import { setBits } from '../bitmap';
import { GROUP_FLAG, groupStart, headBlocks, type Group } from './groups';
import type { Geometry } from './superblock';

export interface Bitmaps {
  readonly blocks: Uint8Array;
  readonly inodes: Uint8Array;
}

/** Clusters that a group has; the last may have fewer. */
export function clustersOf(g: Geometry, group: number): number {
  const blocks = Math.min(g.blocksPerGroup, g.blockCount - groupStart(g, group));
  return Math.ceil(blocks / g.clusterBlocks);
}

const perGroup = (g: Geometry): number => g.blocksPerGroup / g.clusterBlocks;

/** The bit of a block. */
export const bitOf = (g: Pick<Geometry, 'firstDataBlock' | 'clusterBlocks'>, block: number): number =>
  Math.floor((block - g.firstDataBlock) / g.clusterBlocks);

/** Bits of all clusters of a volume. */
export const clusterCount = (g: Geometry): number => Math.ceil((g.blockCount - g.firstDataBlock) / g.clusterBlocks);

export function markBlocks(bits: Uint8Array, g: Geometry, block: number, length: number, on = true): void {
  if (length > 0) setBits(bits, bitOf(g, block), bitOf(g, block + length - 1) + 1, on);
}

/** Blocks of a group's tables: bitmaps and inodes. */
export function* tablesOf(group: Group, g: Geometry): Generator<{ block: number; length: number }> {
  yield { block: group.blockBitmap, length: 1 };
  yield { block: group.inodeBitmap, length: 1 };
  yield { block: group.inodeTable, length: inodeTableBlocks(g) };
}

export const inodeTableBlocks = (g: Pick<Geometry, 'inodesPerGroup' | 'inodeSize' | 'blockSize'>): number =>
  Math.ceil((g.inodesPerGroup * g.inodeSize) / g.blockSize);

/** What superblocks, descriptors, bitmaps and inode tables take. */
export function markStructures(bits: Uint8Array, g: Geometry, groups: readonly Group[]): void {
  for (let n = 0; n < g.groupCount; n++) markBlocks(bits, g, groupStart(g, n), headBlocks(g, n));
  for (const group of groups) for (const { block, length } of tablesOf(group, g)) markBlocks(bits, g, block, length);
}

/** Reads the bitmaps of all groups. */
export async function readBitmaps(device: BlockDevice, g: Geometry, groups: readonly Group[]): Promise<Bitmaps> {
  const bytes = perGroup(g) / 8;
  const blocks = new Uint8Array(Math.ceil((g.groupCount * perGroup(g)) / 8));
  const inodes = new Uint8Array(Math.ceil((g.groupCount * g.inodesPerGroup) / 8));
  const lazy = g.checksums || g.groupChecksums;
  for (const [n, group] of groups.entries()) {
    if (!(lazy && group.flags & GROUP_FLAG.blocksUnused)) {
      const bitmap = await device.bytes(group.blockBitmap * g.blockSize, g.blockSize);
      blocks.set(bitmap.subarray(0, bytes), n * bytes);
    }
    if (!(lazy && group.flags & GROUP_FLAG.inodesUnused)) {
      const bitmap = await device.bytes(group.inodeBitmap * g.blockSize, g.blockSize);
      copyBits(bitmap, inodes, n * g.inodesPerGroup, g.inodesPerGroup);
    }
  }
  const end = clusterCount(g);
  setBits(blocks, end, blocks.length * 8, false);
  markStructures(blocks, g, groups);
  return { blocks, inodes };
}

/** Copies bits from the start of one bitmap to anywhere in another. */
function copyBits(from: Uint8Array, into: Uint8Array, at: number, count: number): void {
  if (at % 8 === 0 && count % 8 === 0) {
    into.set(from.subarray(0, count / 8), at / 8);
    return;
  }
  for (let bit = 0; bit < count; bit++)
    if (from[bit >> 3]! & (1 << (bit & 7))) into[(at + bit) >> 3]! |= 1 << ((at + bit) & 7);
}

/** The bitmap of a group as it is stored: what is behind its end is marked as in use. */
export function blockBitmapOf(bits: Uint8Array, g: Geometry, group: number): Uint8Array {
  const out = new Uint8Array(g.blockSize).fill(0xff);
  const bytes = perGroup(g) / 8;
  out.set(bits.subarray(group * bytes, (group + 1) * bytes));
  setBits(out, clustersOf(g, group), bytes * 8, true);
  return out;
}

export function inodeBitmapOf(bits: Uint8Array, g: Geometry, group: number): Uint8Array {
  const out = new Uint8Array(g.blockSize).fill(0xff);
  out.fill(0, 0, Math.floor(g.inodesPerGroup / 8));
  if (g.inodesPerGroup % 8 !== 0) out[g.inodesPerGroup >> 3] = (0xff << (g.inodesPerGroup & 7)) & 0xff;
  const first = group * g.inodesPerGroup;
  for (let n = 0; n < g.inodesPerGroup; n++) {
    const bit = first + n;
    if (bit % 8 === 0 && n % 8 === 0 && n + 8 <= g.inodesPerGroup) {
      out[n >> 3] = bits[bit >> 3]!;
      n += 7;
    } else if (bits[bit >> 3]! & (1 << (bit & 7))) out[n >> 3]! |= 1 << (n & 7);
  }
  return out;
}
