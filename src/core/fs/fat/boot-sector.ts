/**
 * The FAT boot sector and the geometry that follows from it.
 *
 * Follows the Microsoft FAT specification (“FAT: General Overview of On-Disk Format”, FATGEN 1.03, also ECMA-107):
 * section “Boot Sector and BPB” for the fields, “FAT Type Determination” for the kind, which is decided by the count
 * of clusters and by nothing else, and “FAT32 FSInfo Sector Structure and Backup Boot Sector”.
 * Refuses geometry that does not fit its own volume.
 */
import { struct, text, u16, u32, u8, raw } from '@/core/bytes';
import { CoreError } from '@/core/errors';

/** The BIOS parameter block shared by all three kinds. */
export const BPB = struct('FAT boot sector', 36, {
  jump: raw(0, 3),
  oemName: text(3, 8),
  bytesPerSector: u16(11),
  sectorsPerCluster: u8(13),
  reservedSectors: u16(14),
  fatCount: u8(16),
  rootEntries: u16(17),
  totalSectors16: u16(19),
  media: u8(21),
  fatSectors16: u16(22),
  sectorsPerTrack: u16(24),
  heads: u16(26),
  hiddenSectors: u32(28),
  totalSectors32: u32(32),
});

/** What follows the parameter block on FAT12 and FAT16. */
export const EXTENDED_16 = struct('FAT12/16 extended boot record', 62, {
  driveNumber: u8(36),
  flags: u8(37),
  bootSignature: u8(38),
  serial: u32(39),
  label: text(43, 11),
  kind: text(54, 8),
});

/** What follows the parameter block on FAT32. */
export const EXTENDED_32 = struct('FAT32 extended boot record', 90, {
  fatSectors32: u32(36),
  extFlags: u16(40),
  version: u16(42),
  rootCluster: u32(44),
  fsInfoSector: u16(48),
  backupSector: u16(50),
  reserved: raw(52, 12),
  driveNumber: u8(64),
  flags: u8(65),
  bootSignature: u8(66),
  serial: u32(67),
  label: text(71, 11),
  kind: text(82, 8),
});

/** The FSInfo sector of FAT32. */
export const FS_INFO = struct('FAT32 FSInfo', 512, {
  leadSignature: u32(0),
  structSignature: u32(484),
  freeCount: u32(488),
  nextFree: u32(492),
  trailSignature: u32(508),
});

export const FS_INFO_SIGNATURES = {
  leadSignature: 0x41615252,
  structSignature: 0x61417272,
  trailSignature: 0xaa550000,
} as const;
/** A count or a cluster that the FSInfo sector does not tell. */
export const FS_INFO_UNKNOWN = 0xffffffff;

/** Whether an FSInfo sector has all three of its signatures. */
export const isInfoSigned = (info: Readonly<Record<keyof typeof FS_INFO_SIGNATURES, number>>): boolean =>
  info.leadSignature === FS_INFO_SIGNATURES.leadSignature &&
  info.structSignature === FS_INFO_SIGNATURES.structSignature &&
  info.trailSignature === FS_INFO_SIGNATURES.trailSignature;

export const BOOT_SIGNATURE_AT = 510;
export const DIRECTORY_ENTRY_BYTES = 32;

export type FatKind = 'fat12' | 'fat16' | 'fat32';

/** Counts of clusters at which the kind changes (“FAT Type Determination”). */
export const FIRST_FAT16_COUNT = 4085;
export const FIRST_FAT32_COUNT = 65525;
/** 28 bits of cluster number, less the two reserved entries and the marks from 0x0FFFFFF7 on. */
export const MAX_FAT32_COUNT = 0x0ffffff5;
/** The specification advises to stay this far from the two counts, since other systems have them slightly wrong. */
export const COUNT_MARGIN = 16;

const MAX_U32 = 0xffffffff;
/** extFlags: bit 7 set means only one FAT is live, bits 0-3 say which. */
const NOT_MIRRORED = 0x80;

/** Everything about where things are on a FAT volume. Sector numbers count from the volume's start. */
export interface FatGeometry {
  readonly kind: FatKind;
  readonly sectorSize: number;
  readonly sectorsPerCluster: number;
  readonly clusterSize: number;
  readonly reservedSectors: number;
  readonly fatCount: number;
  readonly fatSectors: number;
  /** Entries of the fixed root directory; 0 on FAT32. */
  readonly rootEntries: number;
  readonly rootSectors: number;
  readonly totalSectors: number;
  readonly dataStart: number;
  /** Data clusters; they are numbered 2 to clusterCount + 1. */
  readonly clusterCount: number;
  readonly hiddenSectors: number;
  /** 0 where the kind has none. */
  readonly rootCluster: number;
  readonly fsInfoSector: number;
  readonly backupSector: number;
  readonly media: number;
  /** The FATs that are kept up to date. */
  readonly liveFats: readonly number[];
}

/** The kind that a count of clusters means. */
export function kindOfCount(clusterCount: number): FatKind {
  if (clusterCount < FIRST_FAT16_COUNT) return 'fat12';
  return clusterCount < FIRST_FAT32_COUNT ? 'fat16' : 'fat32';
}

/** Bits an entry of the allocation table has. */
export function entryBits(kind: FatKind): number {
  return kind === 'fat12' ? 12 : kind === 'fat16' ? 16 : 32;
}

/** Clusters that a table of `fatSectors` sectors has entries for. */
export function tableCapacity(kind: FatKind, fatSectors: number, sectorSize: number): number {
  return Math.floor((fatSectors * sectorSize * 8) / entryBits(kind)) - 2;
}

/** Sectors a table needs for `clusterCount` clusters. */
export function tableSectors(kind: FatKind, clusterCount: number, sectorSize: number): number {
  return Math.ceil(((clusterCount + 2) * entryBits(kind)) / 8 / sectorSize);
}

/** Whether the bytes can be a FAT boot sector: cheap, for probing. */
export function looksLikeFat(sector: Uint8Array): boolean {
  try {
    parseGeometry(sector, undefined);
    return true;
  } catch (error) {
    if (error instanceof CoreError) return false;
    throw error;
  }
}

const isPowerOfTwo = (n: number): boolean => n > 0 && (n & (n - 1)) === 0;

/**
 * Works out the geometry from a boot sector.
 * @param sector at least the first 512 bytes of the volume
 * @param deviceSize bytes there are for the volume, or undefined not to compare
 * @throws CoreError `fs.damaged`
 */
export function parseGeometry(sector: Uint8Array, deviceSize: number | undefined): FatGeometry {
  const bpb = BPB.decode(sector);
  const demand = (ok: boolean, reason: string, offset: number): void => {
    if (!ok) throw new CoreError('fs.damaged', { fileSystem: 'FAT', reason, offset });
  };
  demand(sector[BOOT_SIGNATURE_AT] === 0x55 && sector[BOOT_SIGNATURE_AT + 1] === 0xaa, 'no boot signature', 510);
  demand([512, 1024, 2048, 4096].includes(bpb.bytesPerSector), `${bpb.bytesPerSector} bytes a sector`, 11);
  demand(isPowerOfTwo(bpb.sectorsPerCluster), `${bpb.sectorsPerCluster} sectors a cluster`, 13);
  demand(bpb.reservedSectors > 0, 'no reserved sectors', 14);
  demand(bpb.fatCount >= 1 && bpb.fatCount <= 4, `${bpb.fatCount} allocation tables`, 16);
  demand(bpb.media >= 0xf0, 'an unknown medium byte', 21);
  const wide = EXTENDED_32.decode(sector);
  const has32 = bpb.fatSectors16 === 0;
  const fatSectors = bpb.fatSectors16 || wide.fatSectors32;
  const totalSectors = bpb.totalSectors16 || bpb.totalSectors32;
  demand(fatSectors > 0, 'an allocation table of no sectors', 22);
  const rootSectors = Math.ceil((bpb.rootEntries * DIRECTORY_ENTRY_BYTES) / bpb.bytesPerSector);
  const dataStart = bpb.reservedSectors + bpb.fatCount * fatSectors + rootSectors;
  demand(dataStart + bpb.sectorsPerCluster <= totalSectors, 'no room for data', 32);
  const clusterCount = Math.floor((totalSectors - dataStart) / bpb.sectorsPerCluster);
  // By the document the count alone decides; volumes laid out as FAT32 with too few clusters exist all the same, and
  // every system reads them by their layout. They are told of by the check and never made here.
  const kind = has32 ? 'fat32' : kindOfCount(clusterCount);
  demand(has32 || kind !== 'fat32', `${clusterCount} clusters do not suit its layout`, 22);
  demand(clusterCount <= MAX_FAT32_COUNT, `${clusterCount} clusters`, 32);
  demand(has32 ? bpb.rootEntries === 0 : bpb.rootEntries > 0, `${bpb.rootEntries} root entries`, 17);
  demand(clusterCount <= tableCapacity(kind, fatSectors, bpb.bytesPerSector), 'its allocation table is too short', 22);
  if (has32) demand(wide.rootCluster >= 2 && wide.rootCluster < clusterCount + 2, 'its root is out of range', 44);
  if (deviceSize !== undefined) {
    demand(totalSectors * bpb.bytesPerSector <= deviceSize, 'it is larger than the room it is in', 32);
  }
  const single = has32 && (wide.extFlags & NOT_MIRRORED) !== 0 ? wide.extFlags & 0x0f : undefined;
  demand(single === undefined || single < bpb.fatCount, `table ${single} is live and does not exist`, 40);
  return {
    kind,
    sectorSize: bpb.bytesPerSector,
    sectorsPerCluster: bpb.sectorsPerCluster,
    clusterSize: bpb.sectorsPerCluster * bpb.bytesPerSector,
    reservedSectors: bpb.reservedSectors,
    fatCount: bpb.fatCount,
    fatSectors,
    rootEntries: bpb.rootEntries,
    rootSectors,
    totalSectors,
    dataStart,
    clusterCount,
    hiddenSectors: bpb.hiddenSectors,
    rootCluster: has32 ? wide.rootCluster : 0,
    fsInfoSector: has32 && wide.fsInfoSector < bpb.reservedSectors ? wide.fsInfoSector : 0,
    backupSector: has32 && wide.backupSector < bpb.reservedSectors ? wide.backupSector : 0,
    media: bpb.media,
    liveFats: single === undefined ? Array.from({ length: bpb.fatCount }, (_, i) => i) : [single],
  };
}

/** The two total-sector fields: the narrow one where the kind and the number allow it. */
export function totalSectorFields(
  kind: FatKind,
  totalSectors: number,
): { totalSectors16: number; totalSectors32: number } {
  if (totalSectors > MAX_U32) throw new RangeError(`${totalSectors} sectors do not fit 32 bits`);
  const narrow = kind !== 'fat32' && totalSectors < 0x10000;
  return { totalSectors16: narrow ? totalSectors : 0, totalSectors32: narrow ? 0 : totalSectors };
}

/** Byte offset of a data cluster. */
export function clusterOffset(g: FatGeometry, cluster: number): number {
  return (g.dataStart + (cluster - 2) * g.sectorsPerCluster) * g.sectorSize;
}

/** Byte offset of an allocation table. */
export function tableOffset(g: FatGeometry, index: number): number {
  return (g.reservedSectors + index * g.fatSectors) * g.sectorSize;
}

/** Byte offset of the fixed root directory of FAT12 and FAT16. */
export function rootOffset(g: FatGeometry): number {
  return (g.reservedSectors + g.fatCount * g.fatSectors) * g.sectorSize;
}
