/**
 * Group descriptors: where each group has its bitmaps and its inode table, and what is free in it.
 *
 * “ext4 Data Structures and Algorithms”, “Block Group Descriptors”, “Meta Block Groups”.
 */
import { crc16, crc32c, struct, u16, u32 } from '@/core/bytes';
import type { BlockDevice } from '@/core/device';
import { COMPAT, has, hasSuperCopy, INCOMPAT, type Geometry } from './superblock';

export const GROUP_FLAG = { inodesUnused: 1, blocksUnused: 2, tableZeroed: 4 } as const;
const CHECKSUM_AT = 0x1e;

const LOW = struct('group descriptor', 32, {
  blockBitmap: u32(0x0),
  inodeBitmap: u32(0x4),
  inodeTable: u32(0x8),
  freeBlocks: u16(0xc),
  freeInodes: u16(0xe),
  folders: u16(0x10),
  flags: u16(0x12),
  blockChecksum: u16(0x18),
  inodeChecksum: u16(0x1a),
  unusedInodes: u16(0x1c),
  checksum: u16(CHECKSUM_AT),
});
const HIGH = struct('group descriptor, second half', 64, {
  blockBitmap: u32(0x20),
  inodeBitmap: u32(0x24),
  inodeTable: u32(0x28),
  freeBlocks: u16(0x2c),
  freeInodes: u16(0x2e),
  folders: u16(0x30),
  unusedInodes: u16(0x32),
  blockChecksum: u16(0x38),
  inodeChecksum: u16(0x3a),
});

/** One group. Places are block numbers, free blocks are counted in clusters. */
export interface Group {
  blockBitmap: number;
  inodeBitmap: number;
  inodeTable: number;
  freeBlocks: number;
  freeInodes: number;
  folders: number;
  flags: number;
  unusedInodes: number;
  blockChecksum: number;
  inodeChecksum: number;
  /** As it is stored. */
  checksum: number;
}

type G = Pick<Geometry, 'blockSize' | 'groupCount' | 'descriptorSize' | 'super' | 'firstDataBlock' | 'blocksPerGroup'>;

export const groupStart = (g: Pick<Geometry, 'firstDataBlock' | 'blocksPerGroup'>, group: number): number =>
  g.firstDataBlock + group * g.blocksPerGroup;

export const descriptorsPerBlock = (g: Pick<Geometry, 'blockSize' | 'descriptorSize'>): number =>
  g.blockSize / g.descriptorSize;

/** Blocks that the descriptors of all groups take. */
export const tableBlocks = (g: G): number => Math.ceil(g.groupCount / descriptorsPerBlock(g));

/** How many blocks of descriptors stand together behind each superblock; those of meta groups stand in their own. */
export function commonTableBlocks(g: G): number {
  const all = tableBlocks(g);
  return has(g.super.incompat, INCOMPAT.metaGroups) ? Math.min(all, g.super.firstMetaGroup) : all;
}

/** Whether a group's descriptors stand together with those of others; groups behind those have none of them either. */
const isCommon = (g: G, group: number): boolean =>
  !has(g.super.incompat, INCOMPAT.metaGroups) || Math.floor(group / descriptorsPerBlock(g)) < commonTableBlocks(g);

/** The groups that have the descriptors of all, or of all before meta groups, behind their superblock. */
export function groupsWithTable(g: G): number[] {
  const out: number[] = [];
  for (let group = 0; group < g.groupCount; group++) if (hasSuperCopy(g, group) && isCommon(g, group)) out.push(group);
  return out;
}

/**
 * The blocks that the nth block of descriptors stands in: the one that is read first, then its copies.
 * @param common the groups of {@link groupsWithTable}
 */
export function placesOfTable(g: G, n: number, common: readonly number[]): number[] {
  if (n < commonTableBlocks(g)) return common.map((group) => groupStart(g, group) + 1 + n);
  const per = descriptorsPerBlock(g);
  return [n * per, n * per + 1, n * per + per - 1]
    .filter((group) => group < g.groupCount)
    .map((group) => groupStart(g, group) + (hasSuperCopy(g, group) ? 1 : 0));
}

/** Blocks at the start of a group that are its copy of superblock and descriptors, and what is reserved for these. */
export function headBlocks(g: G, group: number): number {
  const copy = hasSuperCopy(g, group) ? 1 : 0;
  const per = descriptorsPerBlock(g);
  if (isCommon(g, group)) {
    const reserved = has(g.super.compat, COMPAT.resizeInode) ? g.super.reservedTableBlocks : 0;
    return copy ? 1 + commonTableBlocks(g) + reserved : 0;
  }
  const within = group % per;
  return copy + (within === 0 || within === 1 || within === per - 1 ? 1 : 0);
}

/** Reads all descriptors. */
export async function readGroups(device: BlockDevice, g: Geometry): Promise<Group[]> {
  const out: Group[] = [];
  const per = descriptorsPerBlock(g);
  const common = commonTableBlocks(g);
  const together = await device.bytes((g.firstDataBlock + 1) * g.blockSize, common * g.blockSize);
  for (let n = 0; n < tableBlocks(g); n++) {
    const bytes =
      n < common
        ? together.subarray(n * g.blockSize, (n + 1) * g.blockSize)
        : await device.bytes(placesOfTable(g, n, [])[0]! * g.blockSize, g.blockSize);
    for (let i = 0; i < per && out.length < g.groupCount; i++) out.push(decodeGroup(bytes, i * g.descriptorSize, g));
  }
  return out;
}

const WIDE = 64;
const join = (low: number, high: number, bits: 16 | 32): number => low + high * 2 ** bits;

function decodeGroup(bytes: Uint8Array, at: number, { descriptorSize }: Pick<Geometry, 'descriptorSize'>): Group {
  const low = LOW.decode(bytes, at);
  if (descriptorSize < WIDE) return low;
  const high = HIGH.decode(bytes, at);
  return {
    blockBitmap: join(low.blockBitmap, high.blockBitmap, 32),
    inodeBitmap: join(low.inodeBitmap, high.inodeBitmap, 32),
    inodeTable: join(low.inodeTable, high.inodeTable, 32),
    freeBlocks: join(low.freeBlocks, high.freeBlocks, 16),
    freeInodes: join(low.freeInodes, high.freeInodes, 16),
    folders: join(low.folders, high.folders, 16),
    unusedInodes: join(low.unusedInodes, high.unusedInodes, 16),
    flags: low.flags,
    blockChecksum: join(low.blockChecksum, high.blockChecksum, 16),
    inodeChecksum: join(low.inodeChecksum, high.inodeChecksum, 16),
    checksum: low.checksum,
  };
}

const low16 = (n: number): number => n % 0x10000;
const high16 = (n: number): number => Math.floor(n / 0x10000) % 0x10000;
const low32 = (n: number): number => n % 2 ** 32;
const high32 = (n: number): number => Math.floor(n / 2 ** 32);

/** A descriptor with its checksum, into a buffer that keeps what has no field. */
export function encodeGroup(group: Group, number: number, g: Geometry, into: Uint8Array, at: number): void {
  LOW.encode(
    {
      blockBitmap: low32(group.blockBitmap),
      inodeBitmap: low32(group.inodeBitmap),
      inodeTable: low32(group.inodeTable),
      freeBlocks: low16(group.freeBlocks),
      freeInodes: low16(group.freeInodes),
      folders: low16(group.folders),
      flags: group.flags,
      blockChecksum: low16(group.blockChecksum),
      inodeChecksum: low16(group.inodeChecksum),
      unusedInodes: low16(group.unusedInodes),
    },
    into,
    at,
  );
  if (g.descriptorSize >= WIDE)
    HIGH.encode(
      {
        blockBitmap: high32(group.blockBitmap),
        inodeBitmap: high32(group.inodeBitmap),
        inodeTable: high32(group.inodeTable),
        freeBlocks: high16(group.freeBlocks),
        freeInodes: high16(group.freeInodes),
        folders: high16(group.folders),
        unusedInodes: high16(group.unusedInodes),
        blockChecksum: high16(group.blockChecksum),
        inodeChecksum: high16(group.inodeChecksum),
      },
      into,
      at,
    );
  LOW.encode({ checksum: groupChecksum(into.subarray(at, at + g.descriptorSize), number, g) }, into, at);
}

/** The checksum that a descriptor must have; 0 where none is stored. */
function groupChecksum(descriptor: Uint8Array, number: number, g: Geometry): number {
  const own = new Uint8Array(4);
  new DataView(own.buffer).setUint32(0, number, true);
  const before = descriptor.subarray(0, CHECKSUM_AT);
  const behind = descriptor.subarray(CHECKSUM_AT + 2);
  if (g.checksums) return crc32c(behind, crc32c(new Uint8Array(2), crc32c(before, crc32c(own, g.seed)))) & 0xffff;
  if (!g.groupChecksums) return 0;
  return crc16(behind, crc16(before, crc16(own, crc16(g.super.uuid))));
}

/** The checksum of a bitmap as its descriptor has it: of as many bits as a group has. */
export function bitmapChecksum(bitmap: Uint8Array, bits: number, g: Geometry): number {
  const sum = crc32c(bitmap.subarray(0, bits / 8), g.seed);
  return g.descriptorSize >= WIDE ? sum : sum & 0xffff;
}
