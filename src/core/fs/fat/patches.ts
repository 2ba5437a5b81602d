/**
 * The writes that a change to a FAT volume comes down to: start clusters in directory entries, the tables, the boot
 * sector with its backup, FSInfo. All go into the transaction's gathered part.
 */
import { sameBytes } from '@/core/bytes';
import type { Transaction } from '../port';
import { FREE, type AllocationTable } from './allocation-table';
import {
  BPB,
  clusterOffset,
  DIRECTORY_ENTRY_BYTES,
  EXTENDED_32,
  FS_INFO,
  FS_INFO_SIGNATURES,
  FS_INFO_UNKNOWN,
  tableOffset,
  totalSectorFields,
  type FatGeometry,
} from './boot-sector';
import { ENTRY } from './directory';
import type { FatTree } from './tree';

/** Writes a table's sectors that differ from `before`, into every live FAT. Both are as long as the geometry says. */
export async function writeTables(
  g: FatGeometry,
  before: Uint8Array | undefined,
  after: AllocationTable,
  tx: Transaction,
): Promise<void> {
  const { bytes } = after;
  for (let at = 0; at < bytes.length;) {
    if (before && sameSector(before, bytes, at, g.sectorSize)) {
      at += g.sectorSize;
      continue;
    }
    let end = at + g.sectorSize;
    while (end < bytes.length && !(before && sameSector(before, bytes, end, g.sectorSize))) end += g.sectorSize;
    for (const index of g.liveFats) await tx.write(tableOffset(g, index) + at, bytes.subarray(at, end));
    at = end;
  }
}

function sameSector(a: Uint8Array, b: Uint8Array, at: number, size: number): boolean {
  return sameBytes(a.subarray(at, at + size), b.subarray(at, at + size));
}

/** Where things are after a change: cluster numbers as entries will name them, and bytes as they will lie. */
export interface Renumbering {
  /** The new number of a cluster in use. */
  number(cluster: number): number;
  /** The new byte offset of a byte that lies at `offset` now. */
  offset(offset: number): number;
}

/** Rewrites every start cluster that changes: in entries, and in folders' entries for themselves and their parents. */
export async function writeStartClusters(
  g: FatGeometry,
  tree: FatTree,
  to: Renumbering,
  tx: Transaction,
): Promise<void> {
  const wide = g.kind === 'fat32';
  for (const node of tree.nodes) {
    if (node.firstCluster === 0) continue;
    const first = to.number(node.firstCluster);
    if (first !== node.firstCluster) await writeStart(to.offset(node.entryOffset), first, wide, tx);
    if (node.kind !== 'folder' || !node.dots) continue;
    const own = to.offset(clusterOffset(g, node.firstCluster));
    if (first !== node.firstCluster) await writeStart(own, first, wide, tx);
    const parent = node.parent < 0 ? 0 : tree.nodes[node.parent]!.firstCluster;
    if (parent !== 0 && to.number(parent) !== parent) {
      await writeStart(own + DIRECTORY_ENTRY_BYTES, to.number(parent), wide, tx);
    }
  }
}

async function writeStart(offset: number, cluster: number, wide: boolean, tx: Transaction): Promise<void> {
  const entry = new Uint8Array(DIRECTORY_ENTRY_BYTES);
  await tx.read(offset, entry);
  const high = wide ? { clusterHigh: cluster >>> 16 } : {};
  ENTRY.encode({ clusterLow: cluster & 0xffff, ...high }, entry);
  await tx.write(offset, entry);
}

/** What changes in the boot sector. */
export interface BootChange {
  readonly totalSectors?: number;
  readonly reservedSectors?: number;
  readonly fatSectors?: number;
  readonly rootCluster?: number;
  readonly hiddenSectors?: number;
}

/** Writes the boot sector and its backup with these fields changed. */
export async function writeBoot(g: FatGeometry, boot: Uint8Array, change: BootChange, tx: Transaction): Promise<void> {
  const sector = boot.slice();
  const { totalSectors, fatSectors, rootCluster, ...plain } = change;
  const totals = totalSectors === undefined ? {} : totalSectorFields(g.kind, totalSectors);
  const short = fatSectors !== undefined && g.kind !== 'fat32' ? { fatSectors16: fatSectors } : {};
  BPB.encode({ ...plain, ...totals, ...short }, sector);
  if (g.kind === 'fat32') {
    EXTENDED_32.encode(
      {
        ...(fatSectors === undefined ? {} : { fatSectors32: fatSectors }),
        ...(rootCluster === undefined ? {} : { rootCluster }),
      },
      sector,
    );
  }
  await tx.write(0, sector);
  if (g.backupSector !== 0) await tx.write(g.backupSector * g.sectorSize, sector);
}

/** Writes the free count into FSInfo and its copy behind the backup boot sector, if the volume has them. */
export async function writeInfo(
  g: FatGeometry,
  table: AllocationTable,
  clusterCount: number,
  tx: Transaction,
): Promise<void> {
  if (g.fsInfoSector === 0) return;
  const places = [g.fsInfoSector, ...(g.backupSector ? [g.backupSector + g.fsInfoSector] : [])];
  const counts = freeCounts(table, clusterCount);
  for (const place of places.filter((sector) => sector < g.reservedSectors)) {
    const sector = new Uint8Array(g.sectorSize);
    await tx.read(place * g.sectorSize, sector);
    const old = FS_INFO.decode(sector);
    if (place !== g.fsInfoSector && old.leadSignature !== FS_INFO_SIGNATURES.leadSignature) continue;
    FS_INFO.encode({ ...FS_INFO_SIGNATURES, ...counts }, sector);
    await tx.write(place * g.sectorSize, sector);
  }
}

/** The free count and the first free cluster, as FSInfo stores them. */
function freeCounts(table: AllocationTable, clusterCount: number): { freeCount: number; nextFree: number } {
  let freeCount = 0;
  let nextFree: number = FS_INFO_UNKNOWN;
  for (let cluster = 2; cluster < clusterCount + 2; cluster++) {
    if (table.get(cluster) !== FREE) continue;
    freeCount += 1;
    if (nextFree === FS_INFO_UNKNOWN) nextFree = cluster;
  }
  return { freeCount, nextFree };
}
