/**
 * The NTFS boot sector and the geometry that follows from it.
 *
 * Follows the layout as openly documented (Linux-NTFS project, “NTFS Documentation”, chapter “$Boot”): the parameter
 * block, sizes above 128 as negative powers of two, and the backup in the last sector of the partition, behind the
 * sectors that the volume counts as its own. Refuses geometry that does not fit its own volume.
 */
import { narrow, raw, struct, text, u16, u32, u64, u8 } from '@/core/bytes';
import { damaged } from './damaged';
import { isSigned } from '../mending';

export const BOOT = struct('NTFS boot sector', 512, {
  jump: raw(0, 3),
  oemName: text(3, 8),
  bytesPerSector: u16(11),
  sectorsPerCluster: u8(13),
  media: u8(21),
  sectorsPerTrack: u16(24),
  heads: u16(26),
  hiddenSectors: u32(28),
  signature80: u32(36),
  totalSectors: u64(40),
  mftLcn: u64(48),
  mirrorLcn: u64(56),
  clustersPerRecord: u8(64),
  clustersPerIndex: u8(68),
  serial: u64(72),
  signature: u16(510),
});

export const OEM_NAME = 'NTFS    ';
/** 2 MiB, the largest cluster size that systems make. */
const MAX_CLUSTER = 2 * 1024 * 1024;
const RECORD_SIZES = [512, 1024, 2048, 4096];

/** Everything about where things are on an NTFS volume. LCNs count clusters from the volume's start. */
export interface NtfsGeometry {
  readonly sectorSize: number;
  readonly clusterSize: number;
  /** Sectors of the volume; the backup boot sector lies behind them. */
  readonly totalSectors: number;
  readonly clusterCount: number;
  readonly recordSize: number;
  readonly indexSize: number;
  readonly mftLcn: number;
  readonly mirrorLcn: number;
  readonly hiddenSectors: number;
  readonly serial: bigint;
}

/** The 64-bit serial that is made of a number of 32 bits. */
export const serialFrom = (serial: number): bigint =>
  (BigInt(Math.imul(serial, 0x9e3779b1) >>> 0) << 32n) | BigInt(serial >>> 0);

/** Whether the bytes can be an NTFS boot sector: cheap, for probing. */
export function looksLikeNtfs(sector: Uint8Array): boolean {
  if (!isSigned(sector, 0)) return false;
  const boot = BOOT.decode(sector);
  return boot.oemName === OEM_NAME && boot.signature === 0xaa55;
}

/** A size in clusters, or as a negative power of two of bytes. */
function sizeOf(value: number, clusterSize: number): number {
  return value < 0x80 ? value * clusterSize : 2 ** (256 - value);
}

/**
 * Works out the geometry.
 * @param deviceSize bytes there are for the volume
 * @throws CoreError `fs.damaged`
 */
export function parseGeometry(sector: Uint8Array, deviceSize: number): NtfsGeometry {
  const boot = BOOT.decode(sector);
  const demand = (ok: boolean, reason: string, offset: number): void => {
    if (!ok) throw damaged(reason, offset);
  };
  demand(boot.oemName === OEM_NAME && boot.signature === 0xaa55, 'no boot signature', 0);
  const sectorSize = boot.bytesPerSector;
  demand([512, 1024, 2048, 4096].includes(sectorSize), `${sectorSize} bytes a sector`, 11);
  const raw = boot.sectorsPerCluster;
  const sectorsPerCluster = raw > 0x80 ? 2 ** (256 - raw) : raw;
  const clusterSize = sectorsPerCluster * sectorSize;
  const powerOfTwo = sectorsPerCluster > 0 && (sectorsPerCluster & (sectorsPerCluster - 1)) === 0;
  demand(powerOfTwo && clusterSize <= MAX_CLUSTER, `${raw} sectors a cluster`, 13);
  demand(boot.totalSectors > 0n && boot.totalSectors < 2n ** 44n, `${boot.totalSectors} sectors`, 40);
  const totalSectors = narrow(boot.totalSectors);
  demand(totalSectors * sectorSize <= deviceSize, 'it is larger than the room it is in', 40);
  const clusterCount = Math.floor(totalSectors / sectorsPerCluster);
  const recordSize = sizeOf(boot.clustersPerRecord, clusterSize);
  const indexSize = sizeOf(boot.clustersPerIndex, clusterSize);
  demand(RECORD_SIZES.includes(recordSize), `records of ${recordSize} bytes`, 64);
  demand(indexSize >= 512 && indexSize <= MAX_CLUSTER, `index blocks of ${indexSize} bytes`, 68);
  const inside = (lcn: bigint): boolean => lcn > 0n && lcn < BigInt(clusterCount);
  demand(inside(boot.mftLcn), 'its master file table is out of range', 48);
  return {
    sectorSize,
    clusterSize,
    totalSectors,
    clusterCount,
    recordSize,
    indexSize,
    mftLcn: narrow(boot.mftLcn),
    mirrorLcn: inside(boot.mirrorLcn) ? narrow(boot.mirrorLcn) : 0,
    hiddenSectors: boot.hiddenSectors,
    serial: boot.serial,
  };
}
