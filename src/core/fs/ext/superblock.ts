/**
 * The superblock of ext2, ext3 and ext4, and what follows from it.
 *
 * “ext4 Data Structures and Algorithms” (kernel documentation), “Super Block”. The same structure since ext2; features
 * say which of its fields, and which structures, are in use.
 */
import { crc32c, raw, struct, u16, u32, u64, u8 } from '@/core/bytes';
import { CoreError } from '@/core/errors';

export const SUPER_AT = 1024;
export const SUPER_BYTES = 1024;
const MAGIC = 0xef53;

export const COMPAT = {
  journal: 0x4,
  attributes: 0x8,
  resizeInode: 0x10,
  dirIndex: 0x20,
  sparseSuper2: 0x200,
  fastCommit: 0x400,
  stableInodes: 0x800,
  orphanFile: 0x1000,
} as const;
export const INCOMPAT = {
  compression: 0x1,
  filetype: 0x2,
  recover: 0x4,
  journalDevice: 0x8,
  metaGroups: 0x10,
  extents: 0x40,
  wide: 0x80,
  multiMount: 0x100,
  flexGroups: 0x200,
  attributeInodes: 0x400,
  dirData: 0x1000,
  checksumSeed: 0x2000,
  largeDir: 0x4000,
  inlineData: 0x8000,
  encrypt: 0x10000,
  casefold: 0x20000,
} as const;
export const RO_COMPAT = {
  sparseSuper: 0x1,
  largeFile: 0x2,
  hugeFile: 0x8,
  groupChecksum: 0x10,
  dirNlink: 0x20,
  extraSize: 0x40,
  quota: 0x100,
  clusters: 0x200,
  checksums: 0x400,
  readOnly: 0x1000,
  project: 0x2000,
  verity: 0x8000,
  orphans: 0x10000,
} as const;

const KNOWN_INCOMPAT =
  INCOMPAT.filetype |
  INCOMPAT.recover |
  INCOMPAT.metaGroups |
  INCOMPAT.extents |
  INCOMPAT.wide |
  INCOMPAT.multiMount |
  INCOMPAT.flexGroups |
  INCOMPAT.attributeInodes |
  INCOMPAT.checksumSeed |
  INCOMPAT.largeDir |
  INCOMPAT.inlineData |
  INCOMPAT.encrypt |
  INCOMPAT.casefold;
const KNOWN_RO_COMPAT = Object.values(RO_COMPAT).reduce((a, b) => a | b, 0x4);

/** States, and flags of the superblock. */
export const STATE = { clean: 1, errors: 2, orphans: 4 } as const;
export const HASH_FLAG = { signed: 1, unsigned: 2 } as const;
export const FIRST_USER_INODE = 11;

export const SUPER = struct('superblock', SUPER_BYTES, {
  inodeCount: u32(0x0),
  blockCountLow: u32(0x4),
  reservedLow: u32(0x8),
  freeBlocksLow: u32(0xc),
  freeInodes: u32(0x10),
  firstDataBlock: u32(0x14),
  logBlockSize: u32(0x18),
  logClusterSize: u32(0x1c),
  blocksPerGroup: u32(0x20),
  clustersPerGroup: u32(0x24),
  inodesPerGroup: u32(0x28),
  mountTime: u32(0x2c),
  writeTime: u32(0x30),
  mountCount: u16(0x34),
  maxMountCount: u16(0x36),
  magic: u16(0x38),
  state: u16(0x3a),
  errors: u16(0x3c),
  minorRevision: u16(0x3e),
  lastCheck: u32(0x40),
  checkInterval: u32(0x44),
  creatorOs: u32(0x48),
  revision: u32(0x4c),
  firstInode: u32(0x54),
  inodeSize: u16(0x58),
  blockGroup: u16(0x5a),
  compat: u32(0x5c),
  incompat: u32(0x60),
  roCompat: u32(0x64),
  uuid: raw(0x68, 16),
  label: raw(0x78, 16),
  reservedTableBlocks: u16(0xce),
  journalUuid: raw(0xd0, 16),
  journalInode: u32(0xe0),
  journalDevice: u32(0xe4),
  lastOrphan: u32(0xe8),
  hashSeed: raw(0xec, 16),
  hashVersion: u8(0xfc),
  journalBackupType: u8(0xfd),
  descriptorSize: u16(0xfe),
  defaultMountOptions: u32(0x100),
  firstMetaGroup: u32(0x104),
  makeTime: u32(0x108),
  journalBlocks: raw(0x10c, 68),
  blockCountHigh: u32(0x150),
  reservedHigh: u32(0x154),
  freeBlocksHigh: u32(0x158),
  minExtraSize: u16(0x15c),
  wantExtraSize: u16(0x15e),
  flags: u32(0x160),
  multiMountBlock: u64(0x168),
  logGroupsPerFlex: u8(0x174),
  checksumType: u8(0x175),
  kbytesWritten: u64(0x178),
  userQuotaInode: u32(0x240),
  groupQuotaInode: u32(0x244),
  overheadClusters: u32(0x248),
  backupGroups: raw(0x24c, 8),
  projectQuotaInode: u32(0x26c),
  checksumSeed: u32(0x270),
  orphanFileInode: u32(0x280),
  checksum: u32(0x3fc),
});

export type SuperFields = ReturnType<typeof SUPER.decode>;

/** A superblock with all that follows from it. Counts are of blocks; a cluster is one block but on bigalloc. */
export interface Geometry {
  readonly super: SuperFields;
  readonly blockSize: number;
  readonly blockCount: number;
  readonly firstDataBlock: number;
  readonly blocksPerGroup: number;
  readonly inodesPerGroup: number;
  readonly groupCount: number;
  readonly inodeSize: number;
  readonly descriptorSize: number;
  /** Blocks a cluster, which is what bitmaps count. */
  readonly clusterBlocks: number;
  readonly reservedBlocks: number;
  /** What every checksum of structures begins with. */
  readonly seed: number;
  /** Structures have CRC-32C checksums; else descriptors may have CRC-16 ones. */
  readonly checksums: boolean;
  readonly groupChecksums: boolean;
}

export const has = (features: number, bit: number): boolean => (features & bit) !== 0;

/** Whether what begins at an index has the signature of a superblock. */
export const hasMagic = (bytes: Uint8Array, index: number): boolean =>
  bytes[index + 0x38] === (MAGIC & 0xff) && bytes[index + 0x39] === MAGIC >> 8;

/** Whether it begins like a superblock. */
export function looksLikeExt(bytes: Uint8Array): boolean {
  return hasMagic(bytes, 0) && SUPER.decode(bytes).logBlockSize <= 6;
}

/** Which of the three a volume is called, by its features. */
export function kindOf({ compat, incompat, roCompat }: Pick<SuperFields, 'compat' | 'incompat' | 'roCompat'>): string {
  const newer = incompat & ~(INCOMPAT.filetype | INCOMPAT.recover | INCOMPAT.metaGroups);
  const old = RO_COMPAT.sparseSuper | RO_COMPAT.largeFile | 0x4;
  if (newer !== 0 || (roCompat & ~old) !== 0) return 'ext4';
  return has(compat, COMPAT.journal) ? 'ext3' : 'ext2';
}

const damaged = (reason: string): CoreError =>
  new CoreError('fs.damaged', { fileSystem: 'ext', reason, offset: SUPER_AT });

/**
 * Reads a superblock.
 * @param size bytes of the device, which the volume must not exceed
 * @throws CoreError `fs.damaged`
 */
export function parseSuper(bytes: Uint8Array, size: number): Geometry {
  const s = SUPER.decode(bytes);
  if (s.magic !== MAGIC) throw damaged('its superblock has no signature');
  if (s.logBlockSize > 6) throw damaged('its block size makes no sense');
  const blockSize = 1024 << s.logBlockSize;
  const wide = has(s.incompat, INCOMPAT.wide);
  const high = wide ? 2 ** 32 : 0;
  const blockCount = s.blockCountLow + s.blockCountHigh * high;
  const { blocksPerGroup, inodesPerGroup, firstDataBlock } = s;
  const clusters = has(s.roCompat, RO_COMPAT.clusters);
  const clusterBlocks = clusters ? 2 ** (s.logClusterSize - s.logBlockSize) : 1;
  const inodeSize = s.revision === 0 ? 128 : s.inodeSize;
  const descriptorSize = wide ? s.descriptorSize : 32;
  const perGroup = clusters ? s.clustersPerGroup : blocksPerGroup;
  if (perGroup === 0 || perGroup > blockSize * 8 || perGroup % 8 !== 0 || blocksPerGroup !== perGroup * clusterBlocks)
    throw damaged('its groups are of a size that can’t be');
  if (inodesPerGroup === 0 || inodesPerGroup > blockSize * 8)
    throw damaged('its groups have a number of inodes that can’t be');
  if (inodeSize < 128 || inodeSize > blockSize || !Number.isInteger(Math.log2(inodeSize)))
    throw damaged('its inodes are of a size that can’t be');
  if (descriptorSize < 32 || descriptorSize > 1024 || !Number.isInteger(Math.log2(descriptorSize)))
    throw damaged('its group descriptors are of a size that can’t be');
  if (firstDataBlock !== (blockSize === 1024 && !clusters ? 1 : 0))
    throw damaged('its first block is where it can’t be');
  if (blockCount <= firstDataBlock || blockCount * blockSize > size)
    throw damaged(`it claims ${blockCount} blocks, which are more than there are`);
  const groupCount = Math.ceil((blockCount - firstDataBlock) / blocksPerGroup);
  if (s.inodeCount !== groupCount * inodesPerGroup)
    throw damaged('its number of inodes does not agree with its groups');
  const checksums = has(s.roCompat, RO_COMPAT.checksums);
  return {
    // Volumes of the first revision do not say where their own inodes begin.
    super: s.revision === 0 ? { ...s, firstInode: FIRST_USER_INODE } : s,
    blockSize,
    blockCount,
    firstDataBlock,
    blocksPerGroup,
    inodesPerGroup,
    groupCount,
    inodeSize,
    descriptorSize,
    clusterBlocks,
    reservedBlocks: s.reservedLow + s.reservedHigh * high,
    seed: has(s.incompat, INCOMPAT.checksumSeed) ? s.checksumSeed : crc32c(s.uuid),
    checksums,
    groupChecksums: !checksums && has(s.roCompat, RO_COMPAT.groupChecksum),
  };
}

/** Features that nobody here knows, of those that forbid to read it, or to change it. */
export function unknownFeatures({ incompat, roCompat }: SuperFields): { toRead: number; toChange: number } {
  return { toRead: incompat & ~KNOWN_INCOMPAT, toChange: roCompat & ~KNOWN_RO_COMPAT };
}

/** The checksum that a superblock must have. */
export const superSum = (bytes: Uint8Array): number => crc32c(bytes.subarray(0, SUPER.offsets.checksum));

/** The checksum of a superblock, in its place. */
export function sealSuper(bytes: Uint8Array, checksums: boolean): void {
  if (checksums) SUPER.encode({ checksum: superSum(bytes) }, bytes);
}

/** Whether a group has a copy of the superblock, by the features there are. */
export function hasSuperCopy({ super: s }: Pick<Geometry, 'super'>, group: number): boolean {
  if (group === 0) return true;
  if (has(s.compat, COMPAT.sparseSuper2)) {
    const view = new DataView(s.backupGroups.buffer, s.backupGroups.byteOffset, 8);
    return group === view.getUint32(0, true) || group === view.getUint32(4, true);
  }
  if (!has(s.roCompat, RO_COMPAT.sparseSuper) || group === 1) return true;
  return [3, 5, 7].some((base) => {
    let power = base;
    while (power < group) power *= base;
    return power === group;
  });
}

/** The label as text. */
export function labelOf({ label }: SuperFields): string {
  const end = label.indexOf(0);
  return new TextDecoder().decode(end < 0 ? label : label.subarray(0, end));
}
