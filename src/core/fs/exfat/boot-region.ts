/**
 * The boot regions of an exFAT volume and the geometry that follows from them.
 *
 * “exFAT file system specification”, sections 3 (main and backup boot regions) and 3.4 (boot checksum). Twelve sectors
 * twice: boot sector, eight extended ones, parameters, a reserved one, and one filled with the checksum of the others.
 */
import { narrow, raw, struct, text, u16, u32, u64, u8 } from '@/core/bytes';
import { CoreError } from '@/core/errors';
import { isSigned } from '../mending';

export const BOOT = struct('exFAT boot sector', 512, {
  jump: raw(0, 3),
  name: text(3, 8),
  mustBeZero: raw(11, 53),
  partitionOffset: u64(64),
  volumeLength: u64(72),
  fatOffset: u32(80),
  fatLength: u32(84),
  heapOffset: u32(88),
  clusterCount: u32(92),
  rootCluster: u32(96),
  serial: u32(100),
  revision: u16(104),
  flags: u16(106),
  sectorShift: u8(108),
  clusterShift: u8(109),
  fatCount: u8(110),
  driveSelect: u8(111),
  percentInUse: u8(112),
  signature: u16(510),
});

export const REGION_SECTORS = 12;
export const NAME = 'EXFAT   ';
export const BOOT_SIGNATURE = 0xaa55;
export const FLAG = { secondFat: 1, dirty: 2, mediaFailure: 4 } as const;
/** The two bytes of flags and the one of percent in use, which the checksum leaves out. */
const UNCHECKED = [106, 107, 112];
const EXTENDED_SIGNATURE = 0xaa550000;
const MAX_CLUSTER_SHIFT = 25;
export const MAX_CLUSTERS = 0xfffffff5;

/** Where everything is. Offsets and lengths are in sectors where a name says so, else in bytes. */
export interface ExfatGeometry {
  readonly sectorSize: number;
  readonly clusterSize: number;
  readonly volumeSectors: number;
  readonly fatOffset: number;
  readonly fatSectors: number;
  readonly heapSector: number;
  readonly clusterCount: number;
  readonly rootCluster: number;
  readonly serial: number;
  readonly flags: number;
  readonly fatCount: number;
  readonly partitionOffset: number;
}

export function looksLikeExfat(sector: Uint8Array): boolean {
  if (!isSigned(sector, 0)) return false;
  const boot = BOOT.decode(sector);
  return boot.name === NAME && boot.signature === BOOT_SIGNATURE;
}

/** @throws CoreError `fs.damaged` when the geometry contradicts itself or leaves the device */
export function parseGeometry(sector: Uint8Array, deviceSize: number): ExfatGeometry {
  const boot = BOOT.decode(sector);
  const demand = (ok: boolean, reason: string, offset: number): void => {
    if (!ok) throw new CoreError('fs.damaged', { fileSystem: 'exFAT', reason, offset });
  };
  demand(looksLikeExfat(sector), 'no boot signature', 0);
  demand(
    boot.mustBeZero.every((b) => b === 0),
    'the bytes of another file system stand in its boot sector',
    11,
  );
  demand(boot.sectorShift >= 9 && boot.sectorShift <= 12, `sectors of 2^${boot.sectorShift} bytes`, 108);
  demand(boot.sectorShift + boot.clusterShift <= MAX_CLUSTER_SHIFT, 'clusters above 32 MiB', 109);
  demand(boot.fatCount === 1 || boot.fatCount === 2, `${boot.fatCount} allocation tables`, 110);
  const sectorSize = 2 ** boot.sectorShift;
  const clusterSize = sectorSize * 2 ** boot.clusterShift;
  demand(boot.volumeLength < 2n ** 44n, `${boot.volumeLength} sectors`, 72);
  const volumeSectors = narrow(boot.volumeLength);
  demand(volumeSectors * sectorSize <= deviceSize, 'it is larger than the room it is in', 72);
  const { fatOffset, fatLength, heapOffset, clusterCount, rootCluster, fatCount } = boot;
  demand(fatOffset >= 2 * REGION_SECTORS, 'its allocation table is in its boot regions', 80);
  demand(fatOffset + fatLength * fatCount <= heapOffset, 'its allocation table reaches into its clusters', 84);
  demand(clusterCount > 0 && clusterCount <= MAX_CLUSTERS, `${clusterCount} clusters`, 92);
  demand(fatLength * sectorSize >= (clusterCount + 2) * 4, 'its allocation table is too short', 84);
  demand(heapOffset + clusterCount * 2 ** boot.clusterShift <= volumeSectors, 'its clusters leave the volume', 92);
  demand(rootCluster >= 2 && rootCluster < clusterCount + 2, 'its root is out of range', 96);
  return {
    sectorSize,
    clusterSize,
    volumeSectors,
    fatOffset,
    fatSectors: fatLength,
    heapSector: heapOffset,
    clusterCount,
    rootCluster,
    serial: boot.serial,
    flags: boot.flags,
    fatCount,
    partitionOffset: boot.partitionOffset > BigInt(Number.MAX_SAFE_INTEGER) ? 0 : narrow(boot.partitionOffset),
  };
}

/** Where a cluster begins, in bytes from the volume's start. */
export function clusterOffset(g: ExfatGeometry, cluster: number): number {
  return g.heapSector * g.sectorSize + (cluster - 2) * g.clusterSize;
}

/** Where the allocation table that counts begins, in bytes. */
export function fatStart(g: ExfatGeometry): number {
  const second = g.fatCount === 2 && (g.flags & FLAG.secondFat) !== 0;
  return (g.fatOffset + (second ? g.fatSectors : 0)) * g.sectorSize;
}

/** The checksum of the first eleven sectors of a region (figure 1 of section 3.4). */
export function bootChecksum(region: Uint8Array, sectorSize: number): number {
  let sum = 0;
  for (let i = 0; i < (REGION_SECTORS - 1) * sectorSize; i++) {
    if (UNCHECKED.includes(i)) continue;
    sum = (((sum << 31) | (sum >>> 1)) + region[i]!) >>> 0;
  }
  return sum;
}

/** A region with its checksum sector made anew, in place. */
export function sealRegion(region: Uint8Array, sectorSize: number): void {
  const view = new DataView(region.buffer, region.byteOffset, region.length);
  const sum = bootChecksum(region, sectorSize);
  for (let at = (REGION_SECTORS - 1) * sectorSize; at < REGION_SECTORS * sectorSize; at += 4)
    view.setUint32(at, sum, true);
}

/** A new region around a boot sector. */
export function newRegion(boot: Parameters<typeof BOOT.encode>[0], sectorSize: number): Uint8Array {
  const region = new Uint8Array(REGION_SECTORS * sectorSize);
  BOOT.encode(boot, region);
  const view = new DataView(region.buffer);
  for (let sector = 1; sector <= 8; sector++) view.setUint32((sector + 1) * sectorSize - 4, EXTENDED_SIGNATURE, true);
  sealRegion(region, sectorSize);
  return region;
}
