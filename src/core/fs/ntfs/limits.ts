/** How small and how large an NTFS volume can be made, and what holds it there. */
import { BAD } from './bad-clusters';
import { formatSize, spaced } from '@/core/size';
import type { FloorReason, SizeLimits } from '../port';
import { countSet, onlyIn, runsOf, setBits } from '../bitmap';
import type { NtfsGeometry } from './boot-sector';
import type { Mft } from './mft';

const FIRST_USER_RECORD = 24;
/** Room for the mirror in one piece and for a table that is read in whole clusters. */
const SPARE_CLUSTERS = 64;
/** Most bytes of a runlist that one more run costs, and what of a further record holds runs. */
const PAIR_BYTES = 9;
const PAIRS_IN_RECORD = 0.75;
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
  const spare = SPARE_CLUSTERS + furtherRecords(g, bitmap, used);
  const needed = used + spare;
  const count = Math.min(g.clusterCount, Math.max(needed, lostEnd));
  const holds: FloorReason[] = [
    { what: 'files and folders', bytes: Math.max(0, used - system - bad) * g.clusterSize },
    { what: 'the system\u2019s own files: table, journal, bitmap', bytes: system * g.clusterSize },
    { what: 'spare room: the mirror in one piece, and longer lists of extents', bytes: spare * g.clusterSize },
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

/**
 * Clusters for records that hold runlists grown longer: what is carried in goes to at most as many more pieces as there
 * are free runs before the end.
 */
function furtherRecords(g: NtfsGeometry, bitmap: Uint8Array, used: number): number {
  const runs = runsOf(bitmap, 0, Math.min(g.clusterCount, used + SPARE_CLUSTERS), false).length;
  const records = Math.ceil((runs * PAIR_BYTES) / (PAIRS_IN_RECORD * g.recordSize));
  return Math.ceil((records * g.recordSize) / g.clusterSize);
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
  const last = onlyIn(bitmap, owned, g.clusterCount).at(-1);
  return last ? last.start + last.length : 0;
}
