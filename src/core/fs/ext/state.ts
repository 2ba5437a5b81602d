/**
 * An ext volume as it is read: superblock, groups, bitmaps, inodes in use, where all blocks are, and all names. What its
 * journal still has to write is brought in before anything else is looked at.
 */
import type { BlockDevice } from '@/core/device';
import { CoreError, type Finding } from '@/core/errors';
import { inodeTableBlocks, readBitmaps, type Bitmaps } from './bitmaps';
import { extentsInside, hasMap, isShortTree, readBlockMap, type BlockMap } from './block-map';
import { readGroups, type Group } from './groups';
import { FLAG, flagsOf } from './inode';
import type { Names } from './names';
import { NameReader } from './name-reader';
import { InodeTable, inodeAt } from './inode-table';
import { Journal, ReplayedDevice } from './journal';
import {
  COMPAT,
  has,
  INCOMPAT,
  looksLikeExt,
  parseSuper,
  SUPER_AT,
  SUPER_BYTES,
  unknownFeatures,
  type Geometry,
} from './superblock';

/** A journal that has something to write yet. */
interface Pending {
  readonly journal: Journal;
  readonly blocks: ReadonlyMap<number, Uint8Array>;
}

export interface ExtState {
  /** With what the journal has brought in. */
  readonly device: BlockDevice;
  readonly bytes: Uint8Array;
  readonly g: Geometry;
  readonly groups: readonly Group[];
  readonly bits: Bitmaps;
  readonly inodes: InodeTable;
  readonly names: Names;
  readonly findings: readonly Finding[];
  readonly pending: Pending | undefined;
  /** What was read of maps that do not stand in their inode alone. */
  readonly maps: ReadonlyMap<number, BlockMap>;
}

const damaged = (reason: string): CoreError =>
  new CoreError('fs.damaged', { fileSystem: 'ext', reason, offset: SUPER_AT });

/** Reads everything. @throws CoreError `fs.unknown`, `fs.damaged`, `device.read-failed` */
export async function readExt(raw: BlockDevice): Promise<ExtState> {
  const superOf = async (device: BlockDevice): Promise<Uint8Array> => device.bytes(SUPER_AT, SUPER_BYTES);
  let bytes = await superOf(raw);
  if (!looksLikeExt(bytes)) throw new CoreError('fs.unknown', { offset: 0 });
  let g = parseSuper(bytes, raw.size);
  const { toRead } = unknownFeatures(g.super);
  if (toRead !== 0) throw damaged(`it has features that are not known here (0x${toRead.toString(16)})`);
  const pending = has(g.super.incompat, INCOMPAT.recover) ? await pendingOf(raw, g) : undefined;
  const device = pending ? new ReplayedDevice(raw, pending.blocks, g.blockSize) : raw;
  if (pending) {
    bytes = await superOf(device);
    g = parseSuper(bytes, raw.size);
  }
  const groups = await readGroups(device, g);
  assertPlaces(g, groups);
  const bits = await readBitmaps(device, g, groups);
  const inodes = await InodeTable.read(device, g, groups, bits.inodes);
  const maps = await readMaps(device, g, inodes);
  const { names, findings } = await new NameReader(device, g, inodes, maps).read();
  return { device, bytes, g, groups, bits, inodes, names, findings, pending, maps };
}

/** Every structure of a group lies within the volume, so that all that follows may read it. */
function assertPlaces(g: Geometry, groups: readonly Group[]): void {
  const tables = inodeTableBlocks(g);
  const inside = (block: number, length: number): boolean =>
    block >= g.firstDataBlock && block + length <= g.blockCount;
  for (const [n, group] of groups.entries())
    if (!inside(group.blockBitmap, 1) || !inside(group.inodeBitmap, 1) || !inside(group.inodeTable, tables))
      throw damaged(`the structures of group ${n} lie outside of it`);
}

/** What its journal has to write yet. @throws CoreError `fs.damaged` where it can't be known */
export async function pendingOf(raw: BlockDevice, g: Geometry): Promise<Pending> {
  const { compat, journalInode } = g.super;
  if (!has(compat, COMPAT.journal) || journalInode === 0)
    throw damaged('its journal is on another device, and has something to write yet');
  const groups = await readGroups(raw, g);
  assertPlaces(g, groups);
  if (journalInode > g.super.inodeCount) throw damaged('its journal is nowhere');
  const inode = await raw.bytes(inodeAt(journalInode, groups, g), g.inodeSize);
  const { extents } = await readBlockMap(raw, g, journalInode, inode);
  const journal = await Journal.open(raw, g, extents);
  if (journal.unknown && journal.pending) throw damaged(`its journal ${journal.unknown}`);
  return { journal, blocks: await journal.replayed() };
}

/** Maps that have blocks of their own, each read once. */
async function readMaps(device: BlockDevice, g: Geometry, inodes: InodeTable): Promise<Map<number, BlockMap>> {
  const maps = new Map<number, BlockMap>();
  for (const number of inodes.numbers()) {
    const bytes = inodes.get(number)!;
    if (!hasMap(bytes)) continue;
    const sound = has(flagsOf(bytes), FLAG.extents) && isShortTree(bytes, g);
    if (!sound) maps.set(number, await readBlockMap(device, g, number, bytes));
  }
  return maps;
}

/** Where an inode's blocks are. */
export function mapOf({ inodes, maps }: Pick<ExtState, 'inodes' | 'maps'>, number: number): BlockMap {
  const known = maps.get(number);
  if (known) return known;
  const bytes = inodes.get(number);
  return { extents: bytes && hasMap(bytes) ? (extentsInside(bytes) ?? []) : [], inner: [] };
}

/** The content of a folder, or of anything else that is short, by its blocks; stretches that it has not read as zeros. */
export async function readContent(
  device: BlockDevice,
  g: Geometry,
  map: BlockMap,
  length: number,
): Promise<Uint8Array<ArrayBuffer>> {
  const out = new Uint8Array(length);
  for (const { logical, block, length: blocks, unwritten } of map.extents) {
    const at = logical * g.blockSize;
    const part = Math.min(blocks * g.blockSize, length - at);
    if (part > 0 && !unwritten) await device.read(block * g.blockSize, out.subarray(at, at + part));
  }
  return out;
}
