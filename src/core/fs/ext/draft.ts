/**
 * A volume as it is to be: bitmaps, descriptors and inodes are changed here, and written together in the end.
 */
import { CoreError } from '@/core/errors';
import { nextBit, setBits, countIn } from '../bitmap';
import type { Transaction } from '../port';
import type { Run } from '../free-space';
import { bitOf, blockBitmapOf, clustersOf, inodeBitmapOf, markBlocks } from './bitmaps';
import {
  bitmapChecksum,
  descriptorsPerBlock,
  encodeGroup,
  GROUP_FLAG,
  groupStart,
  groupsWithTable,
  placesOfTable,
  tableBlocks,
  type Group,
} from './groups';
import { sealInode } from './inode';
import { inodeAt, inodesBegun } from './inode-table';
import { hasSuperCopy, sealSuper, SUPER, SUPER_AT, type Geometry, type SuperFields } from './superblock';

/** How a draft is written: straight to what is free, or gathered; and whether copies change too. */
export interface FlushOptions {
  readonly direct?: boolean;
  readonly copies: boolean;
}

export class Draft {
  readonly #touched = new Set<number>();
  readonly #inodes = new Map<number, Uint8Array>();
  #cursor: number;

  constructor(
    readonly g: Geometry,
    /** The superblock, which keeps what has no field. */
    private readonly superBytes: Uint8Array,
    readonly groups: Group[],
    readonly blocks: Uint8Array,
    readonly inodes: Uint8Array,
  ) {
    this.#cursor = g.firstDataBlock;
  }

  /** Says that groups are to be written whatever has changed in them. */
  touch(group: number): void {
    this.#touched.add(group);
  }

  touchAll(): void {
    this.groups.forEach((_, n) => this.touch(n));
  }

  mark(block: number, length: number, on: boolean): void {
    markBlocks(this.blocks, this.g, block, length, on);
    const { firstDataBlock, blocksPerGroup } = this.g;
    const [first, last] = [block, block + length - 1].map((b) => Math.floor((b - firstDataBlock) / blocksPerGroup));
    for (let n = first!; n <= last!; n++) this.touch(n);
  }

  get freeBlocks(): number {
    const bits = bitOf(this.g, this.g.blockCount - 1) + 1;
    return bits - countIn(this.blocks, 0, bits);
  }

  /** Looks for free blocks from a place on, given as a share of the volume; or from a block on. */
  seek(near: number): void {
    const { firstDataBlock, blockCount } = this.g;
    this.#cursor =
      firstDataBlock + Math.min(blockCount - firstDataBlock - 1, Math.floor(near * (blockCount - firstDataBlock)));
  }

  seekBlock(block: number): void {
    this.#cursor = block < this.g.blockCount ? block : this.g.firstDataBlock;
  }

  /** Takes free blocks from the cursor on, round the volume once. @throws CoreError `fs.full` */
  take(count: number): Run[] {
    const { g } = this;
    const end = g.blockCount - g.firstDataBlock;
    const runs: Run[] = [];
    let left = count;
    let at = this.#cursor - g.firstDataBlock;
    for (let seen = 0; left > 0 && seen <= end;) {
      const from = nextBit(this.blocks, at, end, false);
      seen += from - at;
      if (from >= end) {
        seen += 1;
        at = 0;
        continue;
      }
      const to = nextBit(this.blocks, from, Math.min(end, from + left), true);
      runs.push({ start: from + g.firstDataBlock, length: to - from });
      this.mark(from + g.firstDataBlock, to - from, true);
      left -= to - from;
      seen += to - from;
      at = to;
    }
    if (left > 0) {
      for (const { start, length } of runs) this.mark(start, length, false);
      throw new CoreError('fs.full', { needed: count * g.blockSize, free: this.freeBlocks * g.blockSize });
    }
    this.#cursor = at + g.firstDataBlock < g.blockCount ? at + g.firstDataBlock : g.firstDataBlock;
    return runs;
  }

  /**
   * Takes blocks that follow each other, at or behind a block and before another; undefined where there are none.
   * @param taken the bitmap that says which can't be had
   */
  takeTogether(
    count: number,
    from: number,
    before = this.g.blockCount,
    taken: Uint8Array = this.blocks,
  ): number | undefined {
    const { firstDataBlock, blockCount } = this.g;
    const end = Math.min(before, blockCount) - firstDataBlock;
    for (let at = from - firstDataBlock; at < end;) {
      const start = nextBit(taken, at, end, false);
      if (start + count > end) return undefined;
      const stop = nextBit(taken, start, start + count, true);
      if (stop === start + count) {
        this.mark(start + firstDataBlock, count, true);
        return start + firstDataBlock;
      }
      at = stop;
    }
    return undefined;
  }

  /** The inode as it will be, to be changed. */
  draftInode(number: number, bytes: Uint8Array): void {
    this.#inodes.set(number, bytes);
  }

  drafted(number: number): Uint8Array | undefined {
    return this.#inodes.get(number);
  }

  /** Takes an inode in a group, or the next one that has any. @throws CoreError `fs.full` */
  takeInode(group: number, folder: boolean): number {
    const { inodesPerGroup, groupCount, super: s } = this.g;
    for (let i = 0; i < groupCount; i++) {
      const n = (group + i) % groupCount;
      const [from, to] = [Math.max(n * inodesPerGroup, n === 0 ? s.firstInode - 1 : 0), (n + 1) * inodesPerGroup];
      const bit = nextBit(this.inodes, from, to, false);
      if (bit >= to) continue;
      this.markInode(bit + 1, true, folder);
      return bit + 1;
    }
    throw new CoreError('fs.full', { needed: this.g.inodeSize, free: 0 });
  }

  markInode(number: number, on: boolean, folder: boolean): void {
    const group = Math.floor((number - 1) / this.g.inodesPerGroup);
    setBits(this.inodes, number - 1, number, on);
    if (folder) this.groups[group]!.folders += on ? 1 : -1;
    this.touch(group);
  }

  /** Everything that has changed, with all counts and checksums. */
  async flush(tx: Transaction, fields: Partial<SuperFields>, { direct, copies }: FlushOptions): Promise<void> {
    const { g } = this;
    const put = (offset: number, bytes: Uint8Array): Promise<void> =>
      direct ? tx.writeFree(offset, bytes) : tx.write(offset, bytes);
    await this.#writeInodes(put);
    for (const n of this.#touched) await this.#writeGroup(n, put);
    await this.#writeTables(put, copies);
    const freeInodes = this.groups.reduce((sum, group) => sum + group.freeInodes, 0);
    const free = this.groups.reduce((sum, group) => sum + group.freeBlocks, 0) * g.clusterBlocks;
    const all = {
      ...fields,
      freeInodes,
      freeBlocksLow: free % 2 ** 32,
      freeBlocksHigh: Math.floor(free / 2 ** 32),
    };
    const bytes = this.superBytes.slice();
    SUPER.encode(all, bytes);
    if (copies)
      for (let n = 1; n < g.groupCount; n++) {
        if (!hasSuperCopy(g, n)) continue;
        const copy = bytes.slice();
        SUPER.encode({ blockGroup: n }, copy);
        sealSuper(copy, g.checksums);
        await put(groupStart(g, n) * g.blockSize, copy);
      }
    SUPER.encode({ blockGroup: 0 }, bytes);
    sealSuper(bytes, g.checksums);
    await tx.write(SUPER_AT, bytes);
  }

  /** Inodes, and zeros before those that are the first behind what a table had in use. */
  async #writeInodes(put: (offset: number, bytes: Uint8Array) => Promise<void>): Promise<void> {
    const { g, groups } = this;
    const lazy = g.checksums || g.groupChecksums;
    const last = new Map<number, number>();
    for (const number of this.#inodes.keys()) {
      const group = Math.floor((number - 1) / g.inodesPerGroup);
      const within = (number - 1) % g.inodesPerGroup;
      last.set(group, Math.max(last.get(group) ?? 0, within + 1));
    }
    for (const [n, until] of last) {
      const group = groups[n]!;
      const begun = inodesBegun(group, g);
      if (!lazy || until <= begun) continue;
      // The rest of the last block as well, as a system that looks at it sees whole blocks.
      const perBlock = g.blockSize / g.inodeSize;
      const end = Math.min(g.inodesPerGroup, Math.ceil(until / perBlock) * perBlock);
      await put(group.inodeTable * g.blockSize + begun * g.inodeSize, new Uint8Array((end - begun) * g.inodeSize));
      group.unusedInodes = g.inodesPerGroup - until;
      group.flags &= ~GROUP_FLAG.inodesUnused;
    }
    for (const [number, bytes] of this.#inodes) {
      sealInode(number, bytes, g);
      await put(inodeAt(number, groups, g), bytes);
    }
  }

  async #writeGroup(n: number, put: (offset: number, bytes: Uint8Array) => Promise<void>): Promise<void> {
    const { g } = this;
    const group = this.groups[n]!;
    const per = g.blocksPerGroup / g.clusterBlocks;
    group.freeBlocks = clustersOf(g, n) - countIn(this.blocks, n * per, n * per + clustersOf(g, n));
    const first = n * g.inodesPerGroup;
    group.freeInodes = g.inodesPerGroup - countIn(this.inodes, first, first + g.inodesPerGroup);
    group.flags &= ~GROUP_FLAG.blocksUnused;
    const blocks = blockBitmapOf(this.blocks, g, n);
    const inodes = inodeBitmapOf(this.inodes, g, n);
    if (g.checksums) {
      group.blockChecksum = bitmapChecksum(blocks, per, g);
      group.inodeChecksum = bitmapChecksum(inodes, g.inodesPerGroup & ~7, g);
    }
    await put(group.blockBitmap * g.blockSize, blocks);
    await put(group.inodeBitmap * g.blockSize, inodes);
  }

  async #writeTables(put: (offset: number, bytes: Uint8Array) => Promise<void>, copies: boolean): Promise<void> {
    const { g } = this;
    const per = descriptorsPerBlock(g);
    const common = groupsWithTable(g);
    for (let t = 0; t < tableBlocks(g); t++) {
      const own = this.groups.slice(t * per, (t + 1) * per);
      if (!copies && !own.some((_, i) => this.#touched.has(t * per + i))) continue;
      const bytes = new Uint8Array(g.blockSize);
      own.forEach((group, i) => encodeGroup(group, t * per + i, g, bytes, i * g.descriptorSize));
      const places = placesOfTable(g, t, common);
      for (const block of copies ? places : places.slice(0, 1)) await put(block * g.blockSize, bytes);
    }
  }
}
