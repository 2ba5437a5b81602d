/**
 * Shrinking a FAT volume, and taking places of it out of use: whatever lies past the new end, or on them, is carried off,
 * then the tables, the directory entries and the boot sector change together. The tables keep their length, which the
 * specification allows; marks of bad clusters past the new end stay in them, so that growing again finds them.
 */
import type { ByteRange, Transaction } from '../port';
import { Retired } from '../retired';
import { FreeSpace } from '../free-space';
import { BAD, FREE, isLink } from './allocation-table';
import { clusterOffset, type FatGeometry } from './boot-sector';
import { writeBoot, writeInfo, writeStartClusters, writeTables, type Renumbering } from './patches';
import { carry, freeRuns, usedRuns, type ClusterMap } from './relocate';
import type { FatTree } from './tree';
import type { FatState } from './volume-state';

/** Shrinks to at most `size` bytes. The caller has checked the limits and the volume's soundness. */
export async function shrinkFat(state: FatState, tree: FatTree, size: number, tx: Transaction): Promise<void> {
  const { geometry: g } = state;
  const totalSectors = Math.floor(size / g.sectorSize);
  const clusterCount = Math.floor((totalSectors - g.dataStart) / g.sectorsPerCluster);
  await carryOff(state, tree, { totalSectors, clusterCount, retired: Retired.none }, tx);
}

/** Carries what lies on places elsewhere, and marks their clusters as bad. FATGEN 1.03 “FAT Data Structure”: the bad mark. */
export async function retireFat(
  state: FatState,
  tree: FatTree,
  places: readonly ByteRange[],
  tx: Transaction,
): Promise<void> {
  const { clusterSize, clusterCount, totalSectors } = state.geometry;
  const retired = Retired.touching(places, clusterOffset(state.geometry, 2), clusterSize, 2, clusterCount);
  await carryOff(state, tree, { totalSectors, clusterCount, retired }, tx);
}

/** What stays of a volume. */
interface Staying {
  readonly totalSectors: number;
  readonly clusterCount: number;
  readonly retired: Retired;
}

async function carryOff(
  state: FatState,
  tree: FatTree,
  { totalSectors, clusterCount, retired }: Staying,
  tx: Transaction,
): Promise<void> {
  const { geometry: g } = state;
  const end = clusterCount + 2;
  const free = new FreeSpace(retired.without(freeRuns(state, 2, end)));
  const past = { start: end, length: Math.max(0, g.clusterCount + 2 - end) };
  const runs = usedRuns(state, tree, [...retired.runs.filter((r) => r.start < end), past]);
  const map = await carry(g, runs, free, g.clusterCount + 2, tx);
  const table = mapTable(state, map, end);
  for (const { start, length } of retired.runs) for (let c = start; c < start + length; c++) table.set(c, BAD);
  await writeTables(g, state.table.bytes, table, tx);
  await writeStartClusters(g, tree, mapping(g, map), tx);
  const rootCluster = g.rootCluster ? { rootCluster: map[g.rootCluster] || g.rootCluster } : {};
  await writeBoot(g, state.boot, { totalSectors, ...rootCluster }, tx);
  await writeInfo(g, table, clusterCount, tx);
}

function mapping(g: FatGeometry, map: ClusterMap): Renumbering {
  const dataStart = g.dataStart * g.sectorSize;
  return {
    number: (cluster) => map[cluster] || cluster,
    offset: (offset) => {
      if (offset < dataStart) return offset;
      const cluster = Math.floor((offset - dataStart) / g.clusterSize) + 2;
      const target = map[cluster];
      return target ? offset - clusterOffset(g, cluster) + clusterOffset(g, target) : offset;
    },
  };
}

/** The table with carried clusters under their new numbers and the ones past `end` free, bad marks kept. */
function mapTable({ table, geometry: g }: FatState, map: ClusterMap, end: number): FatState['table'] {
  const out = table.resized(table.bytes.length);
  for (let cluster = 2; cluster < g.clusterCount + 2; cluster++) {
    const value = table.get(cluster);
    if (value === FREE || value === BAD) continue;
    const mapped = isLink(value, g.clusterCount) ? map[value] || value : value;
    const target = map[cluster];
    if (target || mapped !== value) out.set(target || cluster, mapped);
    if (cluster >= end) out.set(cluster, FREE);
  }
  return out;
}
