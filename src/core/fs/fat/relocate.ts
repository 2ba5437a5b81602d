/** Carrying clusters to free ones: which runs go where, in as few pieces as can be. */
import { isSet, setBits } from '../bitmap';
import type { Transaction } from '../port';
import { Retired } from '../retired';
import { FreeSpace, type Run } from '../free-space';
import { BAD, FREE } from './allocation-table';
import { clusterOffset, type FatGeometry } from './boot-sector';
import type { FatTree } from './tree';
import { chainRuns, type ClusterRun, type FatState } from './volume-state';

/** Old number to new number of the clusters that are carried; 0 for those that stay. */
export type ClusterMap = Uint32Array;

/** The free clusters in [from, to) as runs. Entries past the table's own clusters count as free. */
export function freeRuns({ table, geometry }: FatState, from: number, to: number): Run[] {
  const runs: { start: number; length: number }[] = [];
  for (let cluster = from; cluster < to; cluster++) {
    if (cluster < geometry.clusterCount + 2 && table.get(cluster) !== FREE) continue;
    const last = runs.at(-1);
    if (last && last.start + last.length === cluster) last.length += 1;
    else runs.push({ start: cluster, length: 1 });
  }
  return runs;
}

/** Clusters in use on runs that are left, file by file so that pieces of one file stay together, stray ones last. */
export function usedRuns(state: FatState, tree: FatTree, left: readonly Run[]): ClusterRun[] {
  const { table, geometry: g } = state;
  const leaving = new Retired(left);
  const taken = new Uint8Array(Math.ceil((g.clusterCount + 2) / 8));
  const runs: ClusterRun[] = [];
  const collect = (first: number, limit: number): void => {
    for (const run of chainRuns(state, first, limit)) {
      for (const { start, length, lost } of leaving.pieces(run.start, run.length)) {
        if (!lost || isSet(taken, start)) continue;
        setBits(taken, start, start + length, true);
        runs.push({ start, length });
      }
    }
  };
  if (g.rootCluster) collect(g.rootCluster, g.clusterCount);
  for (const node of tree.nodes) if (node.clusters > 0) collect(node.firstCluster, node.clusters);
  for (const { start: from, length } of leaving.runs)
    for (let cluster = from; cluster < from + length; cluster++) {
      const value = table.get(cluster);
      if (value === FREE || value === BAD || isSet(taken, cluster)) continue;
      const last = runs.at(-1);
      if (last && last.start + last.length === cluster)
        runs[runs.length - 1] = { start: last.start, length: last.length + 1 };
      else runs.push({ start: cluster, length: 1 });
    }
  return runs;
}

/**
 * Copies `runs` into the free space and says where each cluster went.
 * @param length entries of the map to be made
 * @throws RangeError when the free space is too small, which the limits exclude
 */
export async function carry(
  g: FatGeometry,
  runs: readonly ClusterRun[],
  free: FreeSpace,
  length: number,
  tx: Transaction,
): Promise<ClusterMap> {
  const map = new Uint32Array(length);
  for (const run of runs) {
    const targets = free.take(run.length);
    if (!targets) throw new RangeError(`${run.length} clusters must be carried and ${free.total} are free`);
    let from = run.start;
    for (const target of targets) {
      await tx.copy(clusterOffset(g, from), clusterOffset(g, target.start), target.length * g.clusterSize);
      for (let i = 0; i < target.length; i++) map[from + i] = target.start + i;
      from += target.length;
    }
  }
  return map;
}
