/** The geometry that a resized volume gets, and the clusters of a stretch of it. */
import type { Run } from '../free-space';
import type { ByteRange } from '../port';
import type { ExfatGeometry } from './boot-region';

/** The geometry of a volume of `size` bytes with its structures as they are, or with the table made longer. */
export function geometryFor(g: ExfatGeometry, size: number): ExfatGeometry {
  const volumeSectors = Math.floor(size / g.sectorSize);
  const perCluster = g.clusterSize / g.sectorSize;
  const inHeap = (heapSector: number): number => Math.floor((volumeSectors - heapSector) / perCluster);
  let { heapSector, fatSectors } = g;
  const needed = (): number => Math.ceil(((inHeap(heapSector) + 2) * 4) / g.sectorSize);
  if (needed() > fatSectors) {
    const room = Math.floor((heapSector - g.fatOffset) / g.fatCount);
    if (needed() > room) {
      // As many whole clusters as the table needs beyond its room go to it.
      const missing = (needed() - room) * g.fatCount;
      heapSector += Math.ceil(missing / perCluster) * perCluster;
    }
    fatSectors = needed();
  }
  return { ...g, volumeSectors, heapSector, fatSectors, clusterCount: inHeap(heapSector) };
}

/** The clusters that a range of bytes touches. */
export function clustersIn(g: ExfatGeometry, { start, end }: ByteRange): Run {
  const heap = g.heapSector * g.sectorSize;
  const first = Math.max(0, Math.floor((start - heap) / g.clusterSize));
  const last = Math.min(g.clusterCount, Math.ceil((end - heap) / g.clusterSize));
  return { start: 2 + first, length: Math.max(0, last - first) };
}

/** What of a run is not in another one. */
export function outside(run: Run, { start, length }: Run): Run[] {
  if (length === 0) return [run];
  const [end, runEnd] = [start + length, run.start + run.length];
  const before = Math.min(runEnd, start) - run.start;
  const behind = runEnd - Math.max(run.start, end);
  return [
    ...(before > 0 ? [{ start: run.start, length: before }] : []),
    ...(behind > 0 ? [{ start: runEnd - behind, length: behind }] : []),
  ];
}
