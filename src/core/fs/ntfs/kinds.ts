/** What forms and tables need to know of NTFS, and which cluster sizes suit which volume. */
import { CoreError } from '@/core/errors';
import { EVERYTHING, COMPRESSED, type KindFacts, type KindsOfDriver } from '../kind-facts';
import { leastBytes, planNewVolume } from './make-plan';
import { mountPoint } from './mount-point';
import { HOLE_CLUSTERS } from './sparse';
import { filetimeToIso, isoToFiletime } from './times';

const KIB = 1024;
const TIB = 1024 ** 4;
const TYPE_CODE = 0x07;
const MAX_LABEL = 32;
/** Systems use 32 bits for the cluster count, whatever the layout has room for. */
const MAX_CLUSTERS = 2 ** 32 - 1;
const LARGEST = 2048 * KIB;

/** A record is that long on nearly every volume; a block of an index may be filled by half. */
const RECORD_BYTES = 1024;
const INDEX_SHARE = 2;
const ENTRY_BYTES = 82;
const MAX_NAME = 255;
/** Records the table grows by at a time. */
export const GROW_RECORDS = 256;
const FORBIDDEN = /[\u0000-\u001f"*/:<>?\\|]/;

/** Why a name can't be that of a file that every system can use. */
export function ntfsNameFault(name: string): 'letters' | 'length' | undefined {
  if (name.length > MAX_NAME) return 'length';
  return name.length === 0 || FORBIDDEN.test(name) || /[. ]$/.test(name) ? 'letters' : undefined;
}

/** Cluster sizes by volume size, first match wins: the figures that systems use. */
const USUAL: readonly [number, number][] = [
  [16 * TIB, 4 * KIB],
  [32 * TIB, 8 * KIB],
  [64 * TIB, 16 * KIB],
  [128 * TIB, 32 * KIB],
  [256 * TIB, 64 * KIB],
];

export function clusterSizesFor(size: number, sectorSize: number): number[] {
  const out: number[] = [];
  for (let cluster = Math.max(512, sectorSize); cluster <= LARGEST; cluster *= 2) {
    if (size >= leastBytes(cluster) && size / cluster <= MAX_CLUSTERS) out.push(cluster);
  }
  return out;
}

export function defaultClusterSize(size: number, sectorSize: number): number | undefined {
  const usual = USUAL.find(([limit]) => size <= limit)?.[1] ?? LARGEST;
  return clusterSizesFor(size, sectorSize).find((c) => c >= usual);
}

/** The label as stored. @throws CoreError `fs.label` */
export function normaliseNtfsLabel(label: string): string {
  if (label.length > MAX_LABEL)
    throw new CoreError('fs.label', { label, reason: `an NTFS label has at most ${MAX_LABEL} characters` });
  if (/[\u0000-\u001f]/.test(label)) throw new CoreError('fs.label', { label, reason: 'it holds a control character' });
  return label;
}

const linkWords = (letter: string, path: string): string => `${letter}:\\${path.replaceAll('/', '\\')}`;

/** Clusters of which a compressed unit is made are no longer than a chunk of it. */
const MOST_COMPRESSED = 4096;
export const canCompress = (clusterSize: number): boolean => clusterSize <= MOST_COMPRESSED;

const NTFS_KIND: KindFacts = {
  kind: 'ntfs',
  title: 'NTFS',
  minBytes: leastBytes(512),
  maxBytes: 256 * TIB,
  maxFileBytes: 2 ** 44,
  maxLabelLength: MAX_LABEL,
  clusterSizes: clusterSizesFor,
  defaultClusterSize,
  mbrType: () => TYPE_CODE,
  normaliseLabel: normaliseNtfsLabel,
  holds: {
    keeps: ['streams', 'hard links', 'links', 'rights', 'change times', 'compression'],
    attributes: ['read-only', 'hidden', 'system', 'archive', 'sparse', COMPRESSED, 'reparse point'],
    compresses: canCompress,
    holeClusters: HOLE_CLUSTERS,
    adopts: true,
    linkTo: {
      by: 'letter',
      words: linkWords,
      facts: (letter, path) => ({ reparse: mountPoint(linkWords(letter, path)) }),
    },
    nameFault: ntfsNameFault,
    storedTimes: ({ created, modified, accessed }) => ({
      created: filetimeToIso(isoToFiletime(created ?? modified)),
      modified: filetimeToIso(isoToFiletime(modified)),
      accessed: filetimeToIso(isoToFiletime(accessed ?? modified)),
    }),
    // A record, and the name once more in the index of its folder.
    structures: (size, sectorSize, clusterSize) =>
      planNewVolume(size, sectorSize, clusterSize).extents.reduce((sum, e) => sum + e.clusters, 2) * clusterSize,
    // Records are made many at a time.
    ahead: GROW_RECORDS * RECORD_BYTES,
    entryBytes: (nameLength) => RECORD_BYTES + INDEX_SHARE * (ENTRY_BYTES + 2 * nameLength),
  },
};

/** What its driver can open, and what it can do to that. */
export const NTFS: KindsOfDriver = { kinds: [NTFS_KIND], abilities: EVERYTHING };
