/**
 * Growing a FAT volume. While the tables are long enough only numbers change. When they are not, the first clusters
 * are carried away to make room for longer tables and every cluster is renumbered; see {@link planTableGrowth}.
 */
import type { Transaction } from '../port';
import { FreeSpace } from '../free-space';
import { AllocationTable, BAD, FREE, isLink } from './allocation-table';
import { clusterOffset, DIRECTORY_ENTRY_BYTES, rootOffset, type FatGeometry } from './boot-sector';
import { planTableGrowth, type TableGrowth } from './grow-plan';
import { writeBoot, writeInfo, writeStartClusters, writeTables } from './patches';
import { carry, freeRuns, usedRuns, type ClusterMap } from './relocate';
import type { FatTree } from './tree';
import type { FatState } from './volume-state';

/** Grows to at most `size` bytes. The caller has checked the limits and the volume's soundness. */
export async function growFat(state: FatState, tree: FatTree, size: number, tx: Transaction): Promise<void> {
  const totalSectors = Math.floor(size / state.geometry.sectorSize);
  const growth = planTableGrowth(state.geometry, totalSectors);
  if (growth.shift === 0) await growInPlace(state, totalSectors, growth, tx);
  else await growShifted(state, tree, totalSectors, growth, tx);
}

async function growInPlace(state: FatState, totalSectors: number, growth: TableGrowth, tx: Transaction): Promise<void> {
  const { geometry: g, table } = state;
  const grown = table.resized(table.bytes.length);
  clearNew(grown, g.clusterCount, growth.clusterCount);
  await writeTables(g, table.bytes, grown, tx);
  await writeBoot(g, state.boot, { totalSectors }, tx);
  await writeInfo(g, grown, growth.clusterCount, tx);
}

/** Entries past the old end may hold anything; only marks of bad clusters are believed. */
function clearNew(table: AllocationTable, oldCount: number, newCount: number): void {
  for (let cluster = oldCount + 2; cluster < newCount + 2; cluster++) {
    if (table.get(cluster) !== BAD) table.set(cluster, FREE);
  }
}

async function growShifted(
  state: FatState,
  tree: FatTree,
  totalSectors: number,
  growth: TableGrowth,
  tx: Transaction,
): Promise<void> {
  const { geometry: g } = state;
  const { shift } = growth;
  // Numbers before the shift reach `shift` further than those after it.
  const oldEnd = growth.clusterCount + shift + 2;
  const free = new FreeSpace(freeRuns(state, shift + 2, oldEnd));
  const runs = usedRuns(state, tree, [{ start: 2, length: Math.min(shift, g.clusterCount) }]);
  const map = await carry(g, runs, free, Math.max(g.clusterCount + 2, shift + 2), tx);
  const number = (cluster: number): number => (map[cluster] || cluster) - shift;
  const grown = renumber(state, map, growth);
  const after: FatGeometry = { ...g, ...growth, totalSectors };
  await moveFixedRoot(state, after, tx);
  await writeStartClusters(g, tree, { number, offset: movedOffset(g, after, map) }, tx);
  await writeTables(after, undefined, grown, tx);
  const rootCluster = g.rootCluster ? { rootCluster: number(g.rootCluster) } : {};
  const { reservedSectors, fatSectors } = growth;
  await clearReserved(state, after, tx);
  await writeBoot(g, state.boot, { totalSectors, reservedSectors, fatSectors, ...rootCluster }, tx);
  await writeInfo(after, grown, growth.clusterCount, tx);
}

/** Where a directory entry will lie: carried with its cluster, or with the fixed root, or where it is. */
function movedOffset(g: FatGeometry, after: FatGeometry, map: ClusterMap): (offset: number) => number {
  const dataStart = g.dataStart * g.sectorSize;
  return (offset) => {
    if (offset < dataStart) return offset - rootOffset(g) + rootOffset(after);
    const cluster = Math.floor((offset - dataStart) / g.clusterSize) + 2;
    const target = map[cluster];
    return target ? offset - clusterOffset(g, cluster) + clusterOffset(g, target) : offset;
  };
}

/** The fixed root of FAT12 and FAT16 moves up with the tables' end; its entries are patched there afterwards. */
async function moveFixedRoot({ device, geometry: g }: FatState, after: FatGeometry, tx: Transaction): Promise<void> {
  if (g.rootEntries === 0) return;
  const bytes = await device.bytes(rootOffset(g), g.rootEntries * DIRECTORY_ENTRY_BYTES);
  await tx.write(rootOffset(after), bytes);
}

/** Sectors that join the reserved area held a table before and must not look like one. */
async function clearReserved({ geometry: g }: FatState, after: FatGeometry, tx: Transaction): Promise<void> {
  const added = (after.reservedSectors - g.reservedSectors) * g.sectorSize;
  if (added > 0) await tx.write(g.reservedSectors * g.sectorSize, new Uint8Array(added));
}

function renumber({ table, geometry: g }: FatState, map: ClusterMap, growth: TableGrowth): AllocationTable {
  const { shift, clusterCount } = growth;
  const out = new AllocationTable(g.kind, new Uint8Array(growth.fatSectors * g.sectorSize));
  copyReservedEntries(table, out);
  const limit = Math.min(table.length, clusterCount + shift + 2);
  for (let cluster = 2; cluster < limit; cluster++) {
    const value = table.get(cluster);
    const beyond = cluster >= g.clusterCount + 2;
    if (value === FREE || (beyond && value !== BAD)) continue;
    const target = (map[cluster] || cluster) - shift;
    if (target < 2) continue;
    out.set(target, isLink(value, g.clusterCount) ? (map[value] || value) - shift : value);
  }
  return out;
}

/** Entries 0 and 1, bit for bit: three bytes of FAT12, four of FAT16, eight of FAT32. */
function copyReservedEntries(from: AllocationTable, to: AllocationTable): void {
  const length = from.kind === 'fat12' ? 3 : from.kind === 'fat16' ? 4 : 8;
  to.bytes.set(from.bytes.subarray(0, length));
}
