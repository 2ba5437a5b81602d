/** The geometry that a volume gets at another size. */
import { inodeTableBlocks } from './bitmaps';
import { commonTableBlocks, descriptorsPerBlock, groupStart, headBlocks, type Group } from './groups';
import { COMPAT, has, INCOMPAT, type Geometry, type SuperFields } from './superblock';

/** A last group with less than this beside its own structures is left out. */
export const LEAST_IN_GROUP = 50;

/**
 * The geometry for as many bytes. The last group is left out where it would be of no use, or where its own tables have no
 * place in it.
 */
export function geometryFor(g: Geometry, groups: readonly Group[], size: number): Geometry {
  let blockCount = Math.floor(size / g.blockSize);
  for (;;) {
    const to = withBlocks(g, blockCount);
    const last = to.groupCount - 1;
    const start = groupStart(to, last);
    if (to.groupCount <= 1 || blockCount - start >= leastIn(to, g, groups, last)) return to;
    blockCount = start;
  }
}

/** Blocks that a last group must have at least. */
function leastIn(to: Geometry, g: Geometry, groups: readonly Group[], last: number): number {
  const least = headBlocks(to, last) + 2 + inodeTableBlocks(to) + LEAST_IN_GROUP;
  if (has(g.super.incompat, INCOMPAT.flexGroups)) return headBlocks(to, last) + LEAST_IN_GROUP;
  const own = groups[last];
  if (!own) return least;
  const end = Math.max(own.blockBitmap, own.inodeBitmap, own.inodeTable + inodeTableBlocks(to) - 1) + 1;
  return Math.max(end - groupStart(to, last), headBlocks(to, last) + 1);
}

function withBlocks(g: Geometry, blockCount: number): Geometry {
  const groupCount = Math.max(1, Math.ceil((blockCount - g.firstDataBlock) / g.blocksPerGroup));
  const share = g.blockCount === 0 ? 0 : g.reservedBlocks / g.blockCount;
  const reserved = Math.floor(blockCount * share);
  const sized = { ...g, blockCount, groupCount, reservedBlocks: reserved };
  const fields: Partial<SuperFields> = {
    blockCountLow: blockCount % 2 ** 32,
    blockCountHigh: Math.floor(blockCount / 2 ** 32),
    reservedLow: reserved % 2 ** 32,
    reservedHigh: Math.floor(reserved / 2 ** 32),
    inodeCount: groupCount * g.inodesPerGroup,
    ...tablesFor(g, groupCount),
    ...copiesFor(g, groupCount),
  };
  return { ...sized, super: { ...g.super, ...fields } };
}

/** What is kept for descriptors takes what they leave, and gives what they need; where it is not enough, meta groups come. */
function tablesFor(g: Geometry, groupCount: number): Partial<SuperFields> {
  const { super: s } = g;
  const needed = Math.ceil(groupCount / descriptorsPerBlock(g));
  const common = commonTableBlocks(g);
  if (has(s.incompat, INCOMPAT.metaGroups))
    return {
      firstMetaGroup: has(s.compat, COMPAT.resizeInode) ? s.firstMetaGroup : Math.min(s.firstMetaGroup, needed),
    };
  const kept = has(s.compat, COMPAT.resizeInode) ? s.reservedTableBlocks : 0;
  if (needed <= common + kept) {
    if (!has(s.compat, COMPAT.resizeInode)) return {};
    return { reservedTableBlocks: Math.min(g.blockSize / 4, common + kept - needed) };
  }
  return {
    incompat: (s.incompat | INCOMPAT.metaGroups) >>> 0,
    compat: (s.compat & ~COMPAT.resizeInode) >>> 0,
    reservedTableBlocks: 0,
    firstMetaGroup: common + kept,
  };
}

/** The two groups with copies of a volume that has no others: those that are still there. */
function copiesFor({ super: s }: Geometry, groupCount: number): Partial<SuperFields> {
  if (!has(s.compat, COMPAT.sparseSuper2)) return {};
  const view = new DataView(s.backupGroups.buffer, s.backupGroups.byteOffset, 8);
  const left = [0, 4].map((at) => view.getUint32(at, true)).filter((n) => n > 0 && n < groupCount);
  const backupGroups = new Uint8Array(8);
  left.forEach((n, i) => new DataView(backupGroups.buffer).setUint32(4 * i, n, true));
  return { backupGroups };
}

/** Fields of the superblock that say how large a volume is. */
export function sizeFields({ super: s }: Geometry): Partial<SuperFields> {
  const { blockCountLow, blockCountHigh, reservedLow, reservedHigh, inodeCount } = s;
  const { reservedTableBlocks, firstMetaGroup, incompat, compat, backupGroups } = s;
  return {
    ...{ blockCountLow, blockCountHigh, reservedLow, reservedHigh, inodeCount },
    ...{ reservedTableBlocks, firstMetaGroup, incompat, compat, backupGroups },
    // Worked out anew by the system where it is not told.
    overheadClusters: 0,
  };
}

/** Blocks at the starts of groups that a volume has as heads at one size and not at another. */
export function headsLost(g: Geometry, to: Geometry): { block: number; length: number }[] {
  const out: { block: number; length: number }[] = [];
  for (let n = 0; n < Math.min(g.groupCount, to.groupCount); n++) {
    const [before, after] = [headBlocks(g, n), headBlocks(to, n)];
    if (after < before) out.push({ block: groupStart(g, n) + after, length: before - after });
  }
  return out;
}
