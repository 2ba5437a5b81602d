/**
 * The inode tables of new groups. A system may leave them to be written later and mark that; whoever reads all of a
 * table takes what was there before for inodes that were deleted. So they are written out unless that would take long.
 *
 * “ext4 Data Structures and Algorithms”, “Lazy Block Group Initialization”.
 */
import type { Transaction } from '../port';
import { inodeTableBlocks } from './bitmaps';
import { GROUP_FLAG, type Group } from './groups';
import type { Geometry } from './superblock';

/** Bytes of tables that are written out at once. */
const EAGER = 256 * 1024 * 1024;

/** @param cleared all of the volume was written with zeros before */
export async function beginTables(
  g: Geometry,
  groups: readonly Group[],
  tx: Pick<Transaction, 'clearFree'>,
  cleared = false,
): Promise<void> {
  const length = inodeTableBlocks(g) * g.blockSize;
  const marked = g.checksums || g.groupChecksums;
  const later = marked && !cleared && groups.length * length > EAGER;
  for (const group of groups) {
    if (!cleared && !later) await tx.clearFree(group.inodeTable * g.blockSize, length);
    if (marked) group.flags |= GROUP_FLAG.inodesUnused | (later ? 0 : GROUP_FLAG.tableZeroed);
  }
}
