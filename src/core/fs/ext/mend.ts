/**
 * Mending an ext volume: the superblock and the group descriptors from their copies, and counts, checksums and bitmaps
 * from the inodes.
 *
 * “ext4 Data Structures and Algorithms”, “Super Block” and “Block Group Descriptors”: systems write the copies when a
 * volume is made or resized. Where structures are is the same in them; what is free is counted again.
 */
import { PatchedDevice, type BlockDevice } from '@/core/device';
import { hasErrors } from '@/core/errors';
import { setBits } from '../bitmap';
import { bestOf, changesOf, NO_TRACES, ThoughtThrough, whereOpen, whereSound } from '../mending';
import type { Mend, Trace } from '../port';
import { checkExt } from './check';
import { Draft } from './draft';
import {
  descriptorsPerBlock,
  encodeGroup,
  GROUP_FLAG,
  groupStart,
  groupsWithTable,
  placesOfTable,
  readGroups,
  tableBlocks,
} from './groups';
import { TYPE } from './inode';
import { ownershipOf } from './ownership';
import { pendingOf, readExt } from './state';
import {
  COMPAT,
  has,
  hasSuperCopy,
  INCOMPAT,
  looksLikeExt,
  parseSuper,
  sealSuper,
  SUPER,
  SUPER_AT,
  SUPER_BYTES,
  superSum,
  type Geometry,
} from './superblock';
import { openExt } from './volume';

const BLOCK_SIZES = [1, 2, 4, 8, 16, 32, 64].map((kib) => kib * 1024);
/** Groups that have a copy wherever there are any: the first one, and powers of three, five and seven. */
const COPY_GROUPS = [1, 3, 5, 7, 9, 25, 27, 49];
const MOST_COPIES = 8;
const COPIES_DIFFER = new Set(['ext.copies', 'ext.counts']);
/** What tells nothing of where structures are. */
const SUMMED_AGAIN = new Set([...COPIES_DIFFER, 'ext.group', 'ext.bitmap']);
/** What is counted, or summed, again; of findings of other kinds nobody can be sure. */
const FOLLOWS = new Set(['ext.counts', 'ext.copies', 'ext.group', 'ext.bitmap', 'ext.lost', 'ext.free']);
/** What has nothing to do with it. */
const BESIDE = new Set(['ext.dirty', 'ext.orphans', 'ext.resize-inode', 'ext.journal']);

interface Copy {
  readonly bytes: Uint8Array;
  readonly g: Geometry;
}

function superIn(bytes: Uint8Array, size: number): Copy | undefined {
  const g = parseSuperOf(bytes, size);
  return g && (!g.checksums || superSum(bytes) === SUPER.decode(bytes).checksum) ? { bytes, g } : undefined;
}

/** What a superblock tells, where it makes sense; its checksum may not agree. */
const parseSuperOf = (bytes: Uint8Array, size: number): Geometry | undefined =>
  looksLikeExt(bytes) ? whereSound(() => parseSuper(bytes, size)) : undefined;

export function claimedBy(bytes: Uint8Array): number | undefined {
  const found = superIn(bytes, Number.MAX_SAFE_INTEGER);
  return found && found.g.blockCount * found.g.blockSize;
}

/** A superblock, or a copy of it, which says which group it is of. */
export function extTraces(block: Uint8Array, at: number): readonly Trace[] {
  if (!looksLikeExt(block)) return NO_TRACES;
  const found = superIn(block.subarray(0, SUPER_BYTES), Number.MAX_SAFE_INTEGER);
  if (!found) return NO_TRACES;
  const { g } = found;
  const group = g.super.blockGroup;
  if (group >= g.groupCount || !hasSuperCopy(g, group)) return NO_TRACES;
  const before = group === 0 ? SUPER_AT : groupStart(g, group) * g.blockSize;
  return [{ start: at - before, length: g.blockCount * g.blockSize }];
}

export async function extMends(device: BlockDevice): Promise<Mend[]> {
  if (device.size < SUPER_AT + SUPER_BYTES) return [];
  const first = await superMends(device);
  if (!first) return [];
  const tables = await tableMends(new PatchedDevice(device, first));
  const mended = [...first, ...tables];
  return [...mended, ...(await countMends(new PatchedDevice(device, mended)))];
}

/** Undefined where there is no superblock to go by. */
async function superMends(device: BlockDevice): Promise<Mend[] | undefined> {
  const own = await device.bytes(SUPER_AT, SUPER_BYTES);
  const known = superIn(own, device.size);
  const copy = await copyOf(device, known?.g);
  if (known && (!copy || sameVolume(known, copy))) return [];
  if (!copy) {
    // Without a copy a sound superblock whose checksum alone is wrong is still one.
    return looksLikeExt(own) ? [] : undefined;
  }
  const back: Mend = {
    offset: SUPER_AT,
    bytes: await firstFrom(device, copy),
    what: 'the superblock',
    from: `its copy in group ${copy.g.super.blockGroup}`,
    unsure: 'What its system has noted in it since, such as when it was mounted, is not in the copy.',
  };
  if (!known) return [back];
  const best = await bestOf(device, [[], [back]], openExt, COPIES_DIFFER);
  return best ? [...best.way] : undefined;
}

/** A copy as the first superblock: a journal that has something to write yet is noted there alone. */
async function firstFrom(device: BlockDevice, { bytes: copy, g }: Copy): Promise<Uint8Array> {
  const bytes = copy.slice();
  const recover = (await hasPending(device, g)) ? { incompat: g.super.incompat | INCOMPAT.recover } : {};
  SUPER.encode({ blockGroup: 0, ...recover }, bytes);
  sealSuper(bytes, g.checksums);
  return bytes;
}

async function hasPending(device: BlockDevice, g: Geometry): Promise<boolean> {
  if (!has(g.super.compat, COMPAT.journal)) return false;
  return (await whereOpen(() => pendingOf(device, g)))?.journal.pending ?? false;
}

/** Whether two superblocks tell of the same volume, laid out in the same way. */
function sameVolume({ g: a }: Copy, { g: b }: Copy): boolean {
  const told = ({ super: s, blockCount, descriptorSize, inodeSize }: Geometry): unknown[] => [
    [...s.uuid],
    blockCount,
    s.inodeCount,
    s.logBlockSize,
    s.blocksPerGroup,
    s.inodesPerGroup,
    descriptorSize,
    inodeSize,
    s.firstInode,
    s.reservedTableBlocks,
    s.compat,
    // That a journal has something to write yet is noted in the first superblock alone.
    s.incompat & ~INCOMPAT.recover,
    s.roCompat,
  ];
  return JSON.stringify(told(a)) === JSON.stringify(told(b));
}

/** The first copy of the superblock that is whole. */
async function copyOf(device: BlockDevice, g: Geometry | undefined): Promise<Copy | undefined> {
  const places = g
    ? Array.from({ length: g.groupCount - 1 }, (_, i) => i + 1)
        .filter((n) => hasSuperCopy(g, n))
        .slice(0, MOST_COPIES)
        .map((n) => ({ group: n, at: groupStart(g, n) * g.blockSize }))
    : BLOCK_SIZES.flatMap((size) => {
        const [perGroup, from] = [size * 8 * size, size === 1024 ? 1024 : 0];
        return COPY_GROUPS.map((group) => ({ group, at: from + group * perGroup }));
      });
  for (const { group, at } of places) {
    if (at + SUPER_BYTES > device.size) continue;
    const found = superIn(await device.bytes(at, SUPER_BYTES), device.size);
    if (!found || found.g.super.blockGroup !== group) continue;
    if (groupStart(found.g, group) * found.g.blockSize === at) return found;
  }
  return undefined;
}

/** Blocks of descriptors with something wrong in them, from the copy that leaves the least wrong. */
async function tableMends(device: BlockDevice): Promise<Mend[]> {
  const g = parseSuperOf(await device.bytes(SUPER_AT, SUPER_BYTES), device.size);
  if (!g) return [];
  const common = groupsWithTable(g);
  const ways: Mend[][] = [[]];
  const copies = Math.min(MOST_COPIES, Math.max(common.length, 3));
  for (let c = 1; c < copies; c++) {
    const way: Mend[] = [];
    for (let n = 0; n < tableBlocks(g); n++) {
      const [first, ...others] = placesOfTable(g, n, common);
      const from = others[c - 1];
      if (first === undefined || from === undefined) continue;
      const bytes = await device.bytes(from * g.blockSize, g.blockSize);
      const group = Math.floor((from - g.firstDataBlock) / g.blocksPerGroup);
      const words = { what: 'the group descriptors', from: `their copy in group ${group}` };
      way.push(
        ...(await changesOf(
          device,
          placeChanges(g, await device.bytes(first * g.blockSize, g.blockSize), bytes, first),
          words,
        )),
      );
    }
    if (way.length > 0) ways.push(way);
  }
  const open = await openedUp(device, g, common);
  if (open.length > 0) ways.push(open);
  if (ways.length === 1) return [];
  const best = await bestOf(device, ways, openExt, SUMMED_AGAIN);
  return best ? [...best.way] : [];
}

/** Descriptors whose checksum does not agree, with all of their group looked at: no part of it is taken for unused. */
async function openedUp(device: BlockDevice, g: Geometry, common: readonly number[]): Promise<Mend[]> {
  if (!g.checksums && !g.groupChecksums) return [];
  const groups = await readGroups(device, g);
  const out: Mend[] = [];
  for (let n = 0; n < tableBlocks(g); n++) {
    const at = placesOfTable(g, n, common)[0]! * g.blockSize;
    const bytes = await device.bytes(at, g.blockSize);
    const per = descriptorsPerBlock(g);
    for (let i = 0; i < per && n * per + i < g.groupCount; i++) {
      const group = groups[n * per + i]!;
      const own = bytes.slice(i * g.descriptorSize, (i + 1) * g.descriptorSize);
      encodeGroup(group, n * per + i, g, own, 0);
      if ((own[0x1e]! | (own[0x1f]! << 8)) === group.checksum) continue;
      const flags = group.flags & GROUP_FLAG.tableZeroed;
      encodeGroup({ ...group, flags, unusedInodes: 0 }, n * per + i, g, bytes, i * g.descriptorSize);
    }
    const words = { what: 'the group descriptors', from: 'what their groups hold' };
    out.push(...(await changesOf(device, [{ offset: at, bytes }], words)));
  }
  return out;
}

/**
 * A block of descriptors with those whose places differ from the copy taken from there; the others keep what is counted
 * in them, which a copy has of another day.
 */
function placeChanges(
  g: Geometry,
  own: Uint8Array,
  copy: Uint8Array,
  block: number,
): { offset: number; bytes: Uint8Array }[] {
  const bytes = own.slice();
  for (let i = 0; i < descriptorsPerBlock(g); i++) {
    const [from, to] = [i * g.descriptorSize, (i + 1) * g.descriptorSize];
    const differs = PLACES.some(
      ([at, length]) =>
        at + length <= g.descriptorSize &&
        own.subarray(from + at, from + at + length).some((b, k) => b !== copy[from + at + k]),
    );
    if (!differs) continue;
    const blank = own.subarray(from, to).every((b) => b === 0);
    if (blank) bytes.set(copy.subarray(from, to), from);
    else
      for (const [at, length] of PLACES)
        if (at + length <= g.descriptorSize) bytes.set(copy.subarray(from + at, from + at + length), from + at);
  }
  return [{ offset: block * g.blockSize, bytes }];
}

/** Where a descriptor says where the structures of its group are: offset and length of each. */
const PLACES: readonly (readonly [number, number])[] = [
  [0x0, 12],
  [0x20, 12],
];

/** Counts, checksums and bitmaps that say something else than the inodes, where nothing else is wrong. */
async function countMends(device: BlockDevice): Promise<Mend[]> {
  const state = await whereOpen(() => readExt(device));
  if (!state) return [];
  if (state.pending || state.g.clusterBlocks > 1) return [];
  const findings = await checkExt(state);
  const told = findings.filter((f) => f.severity !== 'info' && !BESIDE.has(f.code));
  if (told.length === 0 || told.some((f) => !FOLLOWS.has(f.code))) return [];
  const { g, bytes, groups, bits } = state;
  const { files, structures } = ownershipOf(state);
  const blocks = files.map((byte, i) => byte | structures[i]!);
  const inodes = bits.inodes.slice();
  for (const number of state.inodes.numbers()) setBits(inodes, number - 1, number, true);
  const folders = new Uint32Array(g.groupCount);
  for (const number of state.inodes.numbers())
    if (state.inodes.typeAt(number) === TYPE.folder) folders[Math.floor((number - 1) / g.inodesPerGroup)]! += 1;
  const draft = new Draft(
    g,
    bytes,
    groups.map((group, n) => ({ ...group, folders: folders[n]! })),
    blocks,
    inodes,
  );
  draft.touchAll();
  const tx = new ThoughtThrough(device);
  const copies = told.some((f) => f.code === 'ext.copies');
  await draft.flush(tx, {}, { copies });
  const mends = await changesOf(device, tx.writes, { what: 'counts and bitmaps', from: 'the inodes' });
  const after = await checkExt(await readExt(new PatchedDevice(device, mends)));
  return hasErrors(after.filter((f) => !BESIDE.has(f.code))) ? [] : mends;
}
