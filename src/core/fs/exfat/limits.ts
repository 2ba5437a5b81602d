/** How small and how large an exFAT volume can be made, and what holds it there. */
import { formatSize, spaced } from '@/core/size';
import { countSet, onlyIn } from '../bitmap';
import type { FloorReason, SizeLimits } from '../port';
import { MAX_CLUSTERS, type ExfatGeometry } from './boot-region';
import { ownedBits } from './cluster-bits';
import { clustersOf, type ExfatTree } from './owner';

export const LEAST_BYTES = 1024 * 1024;

export function countTaken(tree: ExfatTree, g: ExfatGeometry): number {
  return countSet(tree.taken, g.clusterCount);
}

export function exfatLimits(g: ExfatGeometry, tree: ExfatTree): SizeLimits {
  const heap = g.heapSector * g.sectorSize;
  const owned = ownedBits(tree, g.clusterCount);
  const files = countSet(owned, g.clusterCount);
  const strays = onlyIn(tree.taken, owned, g.clusterCount);
  const stray = clustersOf(strays);
  const last = strays.at(-1);
  const lastStray = last ? last.start + last.length : 0;
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
