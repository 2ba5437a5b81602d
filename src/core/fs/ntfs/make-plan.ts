/** Where everything goes on a new NTFS volume: one extent after the other from the start, the mirror in the middle. */

/** A run of clusters and the bytes of them that count. */
export interface NewExtent {
  readonly lcn: number;
  readonly clusters: number;
  readonly size: number;
}

export interface NewVolumePlan {
  readonly sectorSize: number;
  readonly clusterSize: number;
  readonly totalSectors: number;
  readonly clusterCount: number;
  readonly recordSize: number;
  readonly indexSize: number;
  readonly boot: NewExtent;
  readonly mft: NewExtent;
  readonly mftBitmap: NewExtent;
  readonly rootIndex: NewExtent;
  readonly definitions: NewExtent;
  readonly upcase: NewExtent;
  readonly security: NewExtent;
  readonly bitmap: NewExtent;
  readonly log: NewExtent;
  readonly mirror: NewExtent;
  readonly extents: readonly NewExtent[];
}

const KIB = 1024;
const MIB = 1024 * KIB;
const BOOT_BYTES = 8192;
const FIRST_RECORDS = 64;
const MIRRORED_RECORDS = 4;

/** The journal's size: a hundredth of the volume, from 256 KiB to 64 MiB. */
function logBytes(size: number): number {
  return Math.min(64 * MIB, Math.max(256 * KIB, Math.floor(size / 100 / (64 * KIB)) * 64 * KIB));
}

/** The bytes that the system's files take at least, for telling which volumes are too small. */
export function leastBytes(clusterSize: number): number {
  return 4 * MIB + 16 * clusterSize;
}

export function planNewVolume(size: number, sectorSize: number, clusterSize: number): NewVolumePlan {
  // The last sector holds the backup of the boot sector and is not counted.
  const totalSectors = Math.floor(size / sectorSize) - 1;
  const clusterCount = Math.floor((totalSectors * sectorSize) / clusterSize);
  const recordSize = sectorSize === 4096 ? 4096 : 1024;
  const indexSize = 4096;
  let next = 0;
  const extents: NewExtent[] = [];
  const place = (bytes: number, lcn = next): NewExtent => {
    const extent = { lcn, clusters: Math.ceil(bytes / clusterSize), size: bytes };
    if (lcn === next) next += extent.clusters;
    extents.push(extent);
    return extent;
  };
  const boot = place(BOOT_BYTES);
  const mft = place(Math.max(FIRST_RECORDS * recordSize, clusterSize));
  const mftBitmap = place(Math.ceil(mft.size / recordSize / 64) * 8);
  const rootIndex = place(indexSize);
  const definitions = place(16 * 160);
  const upcase = place(2 * 65_536);
  const security = place(0x40000 + 256);
  const bitmap = place(Math.ceil(clusterCount / 64) * 8);
  const log = place(logBytes(size));
  const middle = Math.max(next, Math.floor(clusterCount / 2));
  const mirror = place(Math.max(MIRRORED_RECORDS * recordSize, Math.min(clusterSize, mft.size)), middle);
  return {
    sectorSize,
    clusterSize,
    totalSectors,
    clusterCount,
    recordSize,
    indexSize,
    boot,
    mft,
    mftBitmap,
    rootIndex,
    definitions,
    upcase,
    security,
    bitmap,
    log,
    mirror,
    extents,
  };
}
