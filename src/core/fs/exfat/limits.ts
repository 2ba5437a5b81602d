/** How small and how large an exFAT volume can be made, and what holds it there. */
import { formatSize, spaced } from '@/core/size';
import type { FloorReason, SizeLimits } from '../port';
import { MAX_CLUSTERS, type ExfatGeometry } from './boot-region';
import { isTaken, ownedBits } from './change';
import type { ExfatTree } from './tree';

export const LEAST_BYTES = 1024 * 1024;

export function countTaken(tree: ExfatTree, g: ExfatGeometry): number {
  let taken = 0;
  for (let cluster = 2; cluster < g.clusterCount + 2; cluster++) if (isTaken(tree, cluster)) taken += 1;
  return taken;
}

export function exfatLimits(g: ExfatGeometry, tree: ExfatTree): SizeLimits {
  const heap = g.heapSector * g.sectorSize;
  const owned = ownedBits(tree, g.clusterCount);
  let files = 0;
  let stray = 0;
  let lastStray = 0;
  for (let cluster = 2; cluster < g.clusterCount + 2; cluster++) {
    if ((owned[(cluster - 2) >> 3]! & (1 << ((cluster - 2) & 7))) !== 0) files += 1;
    else if (isTaken(tree, cluster)) {
      stray += 1;
      lastStray = cluster - 1;
    }
  }
  const count = Math.max(files + stray, lastStray);
  const least = Math.ceil((LEAST_BYTES - heap) / g.clusterSize);
  const holds: FloorReason[] = [
    { what: 'files and folders', bytes: files * g.clusterSize },
    { what: 'boot regions and allocation table', bytes: heap },
  ];
  const stuck = lastStray > files + stray;
  if (stray > 0)
    holds.push({
      what: `${spaced(stray)} clusters that are bad or belong to nobody, which stay where they are`,
      bytes: (count - files) * g.clusterSize,
    });
  const bytes = heap + Math.max(count, least, 1) * g.clusterSize;
  return {
    floor: {
      bytes: Math.min(bytes, g.volumeSectors * g.sectorSize),
      reason: stuck
        ? 'clusters that are bad or belong to nobody lie up to there, and what is not known is not moved'
        : `${formatSize(files * g.clusterSize)} is in use and ${formatSize(heap)} is structure`,
      holds,
    },
    ceiling: {
      bytes: heap + MAX_CLUSTERS * g.clusterSize,
      reason: `a volume has at most ${spaced(MAX_CLUSTERS)} clusters of ${formatSize(g.clusterSize)}`,
    },
  };
}
