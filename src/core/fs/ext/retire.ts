/**
 * Taking places of an ext volume out of use. What lies on them is carried off, and they are listed as the blocks of the
 * inode that bad ones belong to (ext4 on-disk layout, “Special inodes”: inode 1). Superblocks, descriptors, bitmaps and
 * inode tables stay where they are.
 */
import { runsOf } from '../bitmap';
import type { ByteRange, Transaction } from '../port';
import type { Run } from '../free-space';
import { Retired } from '../retired';
import { clusterCount } from './bitmaps';
import type { Extent } from './block-map';
import { assertChangeable, draftOf } from './changeable';
import { BAD_BLOCKS, InodeCarrier } from './carry-inodes';
import type { Draft } from './draft';
import { INODE, RESIZE_INODE } from './inode';
import { ownershipOf } from './ownership';
import { mapOf, type ExtState } from './state';
import { settled, settleExt } from './superblock-edits';

/** The caller has checked the volume's soundness. @throws CoreError `fs.full`, `fs.ability` */
export async function retireExt(state: ExtState, places: readonly ByteRange[], tx: Transaction): Promise<void> {
  const { g } = state;
  assertChangeable(g, 'have places taken out of use');
  const retired = retiredBy(state, places);
  if (retired.isEmpty) return;
  await settleExt(state, tx);
  const draft = draftOf(state);
  draft.seekBlock(g.firstDataBlock);
  // Before anything is taken, so that nothing comes to them.
  for (const { start, length } of retired.runs) draft.mark(start, length, true);
  const carrier = new InodeCarrier({ state, draft, tx, retired, numbers: new Map() });
  for (const number of state.inodes.numbers()) if (number !== BAD_BLOCKS) await carrier.carry(number);
  await listBad(state, retired, carrier, draft);
  await carrier.write();
  for (const { start, length } of carrier.freed) draft.mark(start, length, false);
  await draft.flush(tx, settled(state, carrier.fields), { copies: false });
}

/** Blocks of what has its place once and for all. */
export function fixedRuns(state: ExtState): Run[] {
  const { firstDataBlock } = state.g;
  const fixed = runsOf(ownershipOf(state).structures, 0, clusterCount(state.g), true);
  // The list of blocks that are kept for descriptors stands where it was made.
  const list = mapOf(state, RESIZE_INODE).inner.slice(0, 1);
  return [
    ...fixed.map(({ start, length }) => ({ start: firstDataBlock + start, length })),
    ...list.map((start) => ({ start, length: 1 })),
  ];
}

function retiredBy(state: ExtState, places: readonly ByteRange[]): Retired {
  const { g } = state;
  const { firstDataBlock, blockSize, blockCount } = g;
  const touched = Retired.touching(
    places,
    firstDataBlock * blockSize,
    blockSize,
    firstDataBlock,
    blockCount - firstDataBlock,
  );
  return touched.except(fixedRuns(state));
}

async function listBad(state: ExtState, retired: Retired, carrier: InodeCarrier, draft: Draft): Promise<void> {
  const { g } = state;
  const before = mapOf(state, BAD_BLOCKS);
  const known = before.extents.map(({ block, length }) => ({ start: block, length }));
  const extents: Extent[] = [];
  let logical = 0;
  for (const { start, length } of retired.and(known).runs) {
    extents.push({ logical, block: start, length });
    logical += length;
  }
  const bytes = state.inodes.get(BAD_BLOCKS)?.slice() ?? new Uint8Array(g.inodeSize);
  await carrier.rebuild(BAD_BLOCKS, bytes, { extents, inner: before.inner });
  const size = logical * g.blockSize;
  INODE.encode({ sizeLow: size % 2 ** 32, sizeHigh: Math.floor(size / 2 ** 32) }, bytes);
  draft.draftInode(BAD_BLOCKS, bytes);
}
