/** An open FAT volume's structures in memory: its geometry and the live allocation table. */
import type { BlockDevice } from '@/core/device';
import { readPieces } from '../read-pieces';
import { AllocationTable, BAD, isLink } from './allocation-table';
import { clusterOffset, parseGeometry, tableOffset, type FatGeometry } from './boot-sector';

/** Shared by everything that reads a volume. The table is not to be changed; changes work on a copy. */
export interface FatState {
  readonly device: BlockDevice;
  readonly geometry: FatGeometry;
  readonly table: AllocationTable;
  /** The boot sector as read, a whole sector long. */
  readonly boot: Uint8Array;
  /** Clusters whose entries are neither free nor bad. */
  readonly inUse: readonly ClusterRun[];
  /** Clusters that are marked bad. */
  readonly bad: readonly ClusterRun[];
  readonly counts: ClusterCounts;
}

/** Clusters by what their entries say. */
interface ClusterCounts {
  readonly free: number;
  readonly bad: number;
  readonly used: number;
}

/** Reads boot sector and table. Memory is that of the table: 4 bytes a cluster at most. @throws CoreError `fs.damaged` */
export async function loadState(device: BlockDevice): Promise<FatState> {
  const first = await device.bytes(0, Math.min(4096, device.size));
  const geometry = parseGeometry(first, device.size);
  const boot = first.slice(0, geometry.sectorSize);
  const bytes = await device.bytes(
    tableOffset(geometry, geometry.liveFats[0]!),
    geometry.fatSectors * geometry.sectorSize,
  );
  const table = new AllocationTable(geometry.kind, bytes);
  return { device, geometry, table, boot, ...lookOver(table, geometry.clusterCount) };
}

/** One pass over the table for all who ask what is in use; nobody uses what is bad. */
function lookOver(table: AllocationTable, clusterCount: number): Pick<FatState, 'inUse' | 'bad' | 'counts'> {
  const inUse: { start: number; length: number }[] = [];
  const bad: { start: number; length: number }[] = [];
  const counts = { free: clusterCount, bad: 0, used: 0 };
  const end = clusterCount + 2;
  for (let cluster = table.nextInUse(2, end); cluster < end; cluster = table.nextInUse(cluster + 1, end)) {
    const isBad = table.get(cluster) === BAD;
    counts[isBad ? 'bad' : 'used'] += 1;
    counts.free -= 1;
    const runs = isBad ? bad : inUse;
    const last = runs.at(-1);
    if (last && last.start + last.length === cluster) last.length += 1;
    else runs.push({ start: cluster, length: 1 });
  }
  return { inUse, bad, counts };
}

/** A run of consecutive clusters. */
export interface ClusterRun {
  readonly start: number;
  readonly length: number;
}

/** The runs of the first `limit` clusters of the chain from `first`. Stops early at whatever is no link. */
export function chainRuns(
  { geometry, table }: Pick<FatState, 'geometry' | 'table'>,
  first: number,
  limit: number,
): ClusterRun[] {
  const runs: { start: number; length: number }[] = [];
  let cluster = first;
  for (let n = 0; n < limit && isLink(cluster, geometry.clusterCount); n++) {
    const last = runs.at(-1);
    if (last && last.start + last.length === cluster) last.length += 1;
    else runs.push({ start: cluster, length: 1 });
    cluster = table.get(cluster);
  }
  return runs;
}

/** Reads the clusters of `runs` one after the other into a fresh buffer. */
export function readRuns({ device, geometry: g }: FatState, runs: readonly ClusterRun[]): Promise<Uint8Array> {
  const pieces = runs.map(({ start, length }) => ({ offset: clusterOffset(g, start), length: length * g.clusterSize }));
  return readPieces(device, pieces);
}
