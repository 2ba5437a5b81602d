/** How small and how large a FAT volume can be made, and what holds it there. */
import { formatSize, spaced } from '@/core/size';
import { largestThatFits } from '../largest';
import type { SizeLimits } from '../port';
import { BAD } from './allocation-table';
import {
  COUNT_MARGIN,
  FIRST_FAT16_COUNT,
  FIRST_FAT32_COUNT,
  MAX_FAT32_COUNT,
  type FatGeometry,
  type FatKind,
} from './boot-sector';
import { planTableGrowth } from './grow-plan';
import type { FatState } from './volume-state';

const MAX_SECTORS = 0xffffffff;
const TITLES: Readonly<Record<FatKind, string>> = { fat12: 'FAT12', fat16: 'FAT16', fat32: 'FAT32' };

/** The cluster counts a volume of a kind may have. */
export function countRange(kind: FatKind): { min: number; max: number } {
  if (kind === 'fat12') return { min: 1, max: FIRST_FAT16_COUNT - 1 - COUNT_MARGIN };
  if (kind === 'fat16') return { min: FIRST_FAT16_COUNT + COUNT_MARGIN, max: FIRST_FAT32_COUNT - 1 - COUNT_MARGIN };
  return { min: FIRST_FAT32_COUNT + COUNT_MARGIN, max: MAX_FAT32_COUNT - COUNT_MARGIN };
}

/** Bytes of a volume with this many clusters and the structures as they are. */
function sizeOfCount(g: FatGeometry, clusterCount: number): number {
  return (g.dataStart + clusterCount * g.sectorsPerCluster) * g.sectorSize;
}

export function sizeLimits(state: FatState): SizeLimits {
  return { floor: floorOf(state), ceiling: ceilingOf(state) };
}

function floorOf({ geometry: g, table, counts: { used } }: FatState): SizeLimits['floor'] {
  const { count: room, bad } = countHolding(table, g.clusterCount, used);
  const threshold = Math.min(countRange(g.kind).min, g.clusterCount);
  const count = Math.max(room, threshold);
  const holds = [
    { what: 'files and folders', bytes: used * g.clusterSize },
    { what: 'boot sector, allocation tables and root', bytes: g.dataStart * g.sectorSize },
  ];
  if (bad > 0)
    holds.push({
      what: `${spaced(bad)} bad clusters between them, which stay where they are`,
      bytes: bad * g.clusterSize,
    });
  const title = TITLES[g.kind];
  const padding = count - room;
  if (padding > 0)
    holds.push({
      what: `the fewest clusters a ${title} volume may have (${spaced(threshold)})`,
      bytes: padding * g.clusterSize,
    });
  const reason =
    padding > 0
      ? `with fewer than ${spaced(threshold)} clusters of ${formatSize(g.clusterSize)} it would no longer be ${title}`
      : `${formatSize(used * g.clusterSize)} is in use and ${formatSize(g.dataStart * g.sectorSize)} is structure`;
  return { bytes: sizeOfCount(g, count), reason, holds };
}

/** The fewest clusters, from the first on, that hold `used` beside the bad ones among them. */
function countHolding(table: FatState['table'], clusterCount: number, used: number): { count: number; bad: number } {
  let bad = 0;
  let count = 0;
  while (count - bad < used && count < clusterCount) {
    if (table.get(count + 2) === BAD) bad += 1;
    count += 1;
  }
  return { count: Math.max(count, 1), bad };
}

/** The table may have to grow into the data area, which only ever costs a little of the room that this leaves. */
function ceilingOf({ geometry: g, bad }: FatState): SizeLimits['ceiling'] {
  const { max } = countRange(g.kind);
  const [bySectors, byCount] = [MAX_SECTORS * g.sectorSize, sizeOfCount(g, max)];
  const ceiling =
    byCount >= bySectors
      ? { bytes: bySectors, reason: 'a FAT volume has at most 2^32 sectors' }
      : {
          bytes: byCount,
          reason: `a ${TITLES[g.kind]} volume has at most ${spaced(max)} clusters of ${formatSize(g.clusterSize)}`,
        };
  const [firstBad] = bad;
  if (!firstBad) return ceiling;
  const most = Math.floor(ceiling.bytes / g.sectorSize);
  const sectors = largestThatFits(g.totalSectors, most, (n) => planTableGrowth(g, n).shift <= firstBad.start - 2);
  if (sectors >= most) return ceiling;
  return {
    bytes: sectors * g.sectorSize,
    reason: 'a longer allocation table would come to lie on clusters that are marked as bad',
  };
}
