/**
 * The tables of new groups, and where they go. A system may leave those of inodes to be written later and mark that;
 * whoever reads all of a table takes what was there before for inodes that were deleted. So they are written out unless
 * that would take long.
 *
 * “ext4 Data Structures and Algorithms”, “Lazy Block Group Initialization”.
 */
import { CoreError } from '@/core/errors';
import type { Transaction } from '../port';
import { inodeTableBlocks, markBlocks } from './bitmaps';
import type { Draft } from './draft';
import { GROUP_FLAG, groupStart, headBlocks, type Group } from './groups';
import type { Retired } from '../retired';
import type { Geometry } from './superblock';

/** Bytes of tables that are written out at once. */
const EAGER = 256 * 1024 * 1024;

interface Ground {
  /** All of the volume was written with zeros before. */
  readonly cleared?: boolean | undefined;
  /** Blocks that can't be written at once. A table on them is left to be written later, where that can be marked. */
  readonly live?: Retired | undefined;
}

export async function beginTables(
  g: Geometry,
  groups: readonly Group[],
  tx: Pick<Transaction, 'clearFree'>,
  { cleared = false, live }: Ground = {},
): Promise<void> {
  const blocks = inodeTableBlocks(g);
  const length = blocks * g.blockSize;
  const marked = g.checksums || g.groupChecksums;
  const long = marked && !cleared && groups.length * length > EAGER;
  for (const group of groups) {
    const later = long || (marked && live?.meets(group.inodeTable, blocks));
    if (!cleared && !later) await tx.clearFree(group.inodeTable * g.blockSize, length);
    if (marked) group.flags |= GROUP_FLAG.inodesUnused | (later ? 0 : GROUP_FLAG.tableZeroed);
  }
}

/**
 * Puts bitmaps and inode tables of groups from `first` on where there is room for them; without flexible groups in their
 * own group, as it has to be.
 * @param fixed where there is no room: the blocks that can't be had even so, as a bitmap, which is kept up to date
 * @throws CoreError `fs.full`
 */
export function placeTables(draft: Draft, first: number, fixed?: Uint8Array): void {
  const { g } = draft;
  const size = inodeTableBlocks(g);
  const flex = g.super.logGroupsPerFlex > 0 ? 2 ** g.super.logGroupsPerFlex : 1;
  const all = fixed ? [draft.blocks, fixed] : [draft.blocks];
  for (let n = first; n < g.groupCount; n++)
    for (const bits of all) markBlocks(bits, g, groupStart(g, n), headBlocks(g, n));
  for (let n = first; n < g.groupCount;) {
    const end = Math.min(g.groupCount, (Math.floor(n / flex) + 1) * flex);
    const place = (count: number): number => placeTogether(draft, count, groupStart(g, n), flex === 1, fixed);
    const own = Array.from({ length: end - n }, (_, i) => n + i);
    const bitmaps = own.map(() => place(1));
    const inodeBitmaps = own.map(() => place(1));
    for (const [i, group] of own.entries())
      draft.groups[group] = {
        blockBitmap: bitmaps[i]!,
        inodeBitmap: inodeBitmaps[i]!,
        inodeTable: place(size),
        freeBlocks: 0,
        freeInodes: g.inodesPerGroup,
        folders: 0,
        flags: 0,
        unusedInodes: g.checksums || g.groupChecksums ? g.inodesPerGroup : 0,
        blockChecksum: 0,
        inodeChecksum: 0,
        checksum: 0,
      };
    n = end;
  }
}

function placeTogether(
  draft: Draft,
  count: number,
  from: number,
  inGroup: boolean,
  fixed: Uint8Array | undefined,
): number {
  const { g } = draft;
  const before = inGroup ? from + g.blocksPerGroup : g.blockCount;
  const least = inGroup ? from : g.firstDataBlock;
  const within = (taken: Uint8Array | undefined): number | undefined =>
    taken && (draft.takeTogether(count, from, before, taken) ?? draft.takeTogether(count, least, before, taken));
  const block = within(draft.blocks) ?? within(fixed);
  if (block === undefined)
    throw new CoreError('fs.full', { needed: count * g.blockSize, free: draft.freeBlocks * g.blockSize });
  if (fixed) markBlocks(fixed, g, block, count);
  return block;
}
