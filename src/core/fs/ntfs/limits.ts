/** How small and how large an NTFS volume can be made, and what holds it there. */
import { formatSize, spaced } from '@/core/size';
import type { FloorReason, SizeLimits } from '../port';
import { countSet, isSet, setBits } from './bitmap';
import type { NtfsGeometry } from './boot-sector';
import type { Mft } from './mft';

const BAD = 8;
const FIRST_USER_RECORD = 24;
/** Room for the mirror in one piece and for a table that is read in whole clusters. */
const SPARE_CLUSTERS = 64;
const MAX_CLUSTERS = 2 ** 32 - 1;

/** Bytes of a volume with this many clusters: the last sector is the backup boot sector's. */
function sizeOf(g: NtfsGeometry, clusters: number): number {
  return clusters * g.clusterSize + g.sectorSize;
}

export function ntfsLimits(g: NtfsGeometry, mft: Mft, bitmap: Uint8Array): SizeLimits {
  const own = sizeOf(g, g.clusterCount);
  const used = countSet(bitmap, g.clusterCount);
  const system = storedClusters(mft, (n) => n < FIRST_USER_RECORD && n !== BAD);
  const bad = storedClusters(mft, (n) => n === BAD);
  const lostEnd = lastUnowned(g, mft, bitmap);
  const needed = used + SPARE_CLUSTERS;
  const count = Math.min(g.clusterCount, Math.max(needed, lostEnd));
  const holds: FloorReason[] = [
    { what: 'files and folders', bytes: Math.max(0, used - system - bad) * g.clusterSize },
    { what: 'the system\u2019s own files: table, journal, bitmap', bytes: system * g.clusterSize },
    { what: 'spare room, so that the mirror stays in one piece', bytes: SPARE_CLUSTERS * g.clusterSize },
  ];
  if (bad > 0)
    holds.push({ what: `${spaced(bad)} bad clusters, which stay where they are`, bytes: bad * g.clusterSize });
  const stuck = lostEnd > needed;
  if (stuck)
    holds.push({
      what: 'clusters that belong to no file, which are not touched',
      bytes: (lostEnd - needed) * g.clusterSize,
    });
  const reason = stuck
    ? 'clusters in use that belong to no file lie up to there, and what is not known is not moved'
    : `${formatSize(used * g.clusterSize)} is in use, and a little spare room is needed`;
  return {
    floor: { bytes: Math.min(own, sizeOf(g, count)), reason, holds },
    ceiling: {
      bytes: sizeOf(g, MAX_CLUSTERS),
      reason: `a volume has at most ${spaced(MAX_CLUSTERS)} clusters of ${formatSize(g.clusterSize)}`,
    },
  };
}

function storedClusters(mft: Mft, which: (record: number) => boolean): number {
  let sum = 0;
  for (const file of mft.files.values()) {
    if (!which(file.number)) continue;
    for (const stream of file.streams) for (const run of stream.runs) if (run.lcn >= 0) sum += run.length;
  }
  return sum;
}

/** The end of the last cluster that is marked in use and belongs to no stream, or 0. */
function lastUnowned(g: NtfsGeometry, mft: Mft, bitmap: Uint8Array): number {
  const owned = new Uint8Array(bitmap.length);
  for (const file of mft.files.values()) {
    for (const stream of file.streams)
      for (const { lcn, length } of stream.runs) if (lcn >= 0) setBits(owned, lcn, lcn + length, true);
  }
  for (let i = Math.ceil(g.clusterCount / 8) - 1; i >= 0; i--) {
    if ((bitmap[i]! & ~owned[i]!) === 0) continue;
    for (let c = Math.min(g.clusterCount, i * 8 + 8) - 1; c >= i * 8; c--)
      if (isSet(bitmap, c) && !isSet(owned, c)) return c + 1;
  }
  return 0;
}
