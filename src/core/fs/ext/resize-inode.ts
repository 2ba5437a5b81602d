/**
 * The inode that holds the blocks which are kept for descriptors of more groups.
 *
 * “ext4 Data Structures and Algorithms”, “Special inodes”; the blocks that are kept in the first group list those at the
 * same place of each group with a copy.
 */
import { viewOf, INODE, RESIZE_INODE, setBlocks, setExtraSize, setTimes, TYPE } from './inode';
import type { Draft } from './draft';
import { commonTableBlocks, groupStart } from './groups';
import { hasSuperCopy, type Geometry } from './superblock';

const DOUBLE_AT = 13 * 4;
const EXTRA_SIZE = 32;

/** Blocks in the first group that are kept, each with those at its place in the other groups. */
export function keptForTables(g: Geometry): { readonly block: number; readonly copies: readonly number[] }[] {
  const first = g.firstDataBlock + 1 + commonTableBlocks(g);
  const groups: number[] = [];
  for (let n = 1; n < g.groupCount; n++) if (hasSuperCopy(g, n)) groups.push(n);
  return Array.from({ length: g.super.reservedTableBlocks }, (_, i) => ({
    block: first + i,
    copies: groups.map((n) => groupStart(g, n) + 1 + commonTableBlocks(g) + i),
  }));
}

/**
 * Writes it anew for a volume as it is to be.
 * @param before the inode as it stands, and the block that lists what is kept; both are made where there are none
 */
export async function writeResizeInode(
  draft: Draft,
  before: { readonly inode: Uint8Array; readonly block: number | undefined } | undefined,
  put: (offset: number, bytes: Uint8Array) => Promise<void>,
): Promise<void> {
  const { g } = draft;
  const inode = before?.inode.slice() ?? new Uint8Array(g.inodeSize);
  if (!before) {
    setExtraSize(inode, EXTRA_SIZE);
    setTimes(inode, {});
  }
  const kept = keptForTables(g);
  const map = new Uint8Array(60);
  const per = g.blockSize / 4;
  const list = new Uint8Array(g.blockSize);
  if (kept.length > 0) {
    const block = before?.block ?? draft.take(1)[0]!.start;
    viewOf(map).setUint32(DOUBLE_AT, block, true);
    const first = commonTableBlocks(g);
    for (const [i, { block: own, copies }] of kept.entries()) {
      viewOf(list).setUint32(4 * ((first + i) % per), own, true);
      const lists = new Uint8Array(g.blockSize);
      copies.forEach((copy, n) => viewOf(lists).setUint32(4 * n, copy, true));
      await put(own * g.blockSize, lists);
    }
    await put(block * g.blockSize, list);
  } else if (before?.block !== undefined) draft.mark(before.block, 1, false);
  const size = (per * per + per + 12) * g.blockSize;
  INODE.encode(
    {
      mode: TYPE.file | 0o600,
      links: 1,
      flags: 0,
      map,
      sizeLow: kept.length > 0 ? size % 2 ** 32 : 0,
      sizeHigh: kept.length > 0 ? Math.floor(size / 2 ** 32) : 0,
    },
    inode,
  );
  setBlocks(
    inode,
    kept.reduce((sum, { copies }) => sum + 1 + copies.length, kept.length > 0 ? 1 : 0),
    g,
  );
  draft.draftInode(RESIZE_INODE, inode);
}
