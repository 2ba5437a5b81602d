/** How small and how large an exFAT volume can be made, and what holds it there. */
import { formatSize, spaced } from '@/core/size';
import { countSet, onlyIn } from '../bitmap';
import { largestThatFits } from '../largest';
import type { FloorReason, SizeLimits } from '../port';
import { MAX_CLUSTERS, type ExfatGeometry } from './boot-region';
import { ownedBits } from './cluster-bits';
import { geometryFor } from './new-geometry';
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
    ceiling: ceilingOf(g, strays[0]?.start),
  };
}

/** @param stray the first cluster, counted from 0, that is bad or belongs to nobody: no table may come to lie on it */
function ceilingOf(g: ExfatGeometry, stray: number | undefined): SizeLimits['ceiling'] {
  const ceiling = {
    bytes: g.heapSector * g.sectorSize + MAX_CLUSTERS * g.clusterSize,
    reason: `a volume has at most ${spaced(MAX_CLUSTERS)} clusters of ${formatSize(g.clusterSize)}`,
  };
  if (stray === undefined) return ceiling;
  const perCluster = g.clusterSize / g.sectorSize;
  const most = Math.floor(ceiling.bytes / g.sectorSize);
  const sectors = largestThatFits(g.volumeSectors, most, (n) => {
    return geometryFor(g, n * g.sectorSize).heapSector - g.heapSector <= stray * perCluster;
  });
  if (sectors >= most) return ceiling;
  return {
    bytes: sectors * g.sectorSize,
    reason: 'a longer allocation table would come to lie on clusters that are bad or belong to nobody',
  };
}
