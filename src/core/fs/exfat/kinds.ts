/** What forms and tables need to know of exFAT, and which cluster sizes suit which volume. */
import { CoreError } from '@/core/errors';
import { GIB, KIB, MIB } from '@/core/size';
import { EVERYTHING, type KindFacts, type KindsOfDriver } from '../kind-facts';
import { ENTRY_BYTES, exfatNameFault, LABEL_UNITS, NAME_UNITS, storedTimes } from './entries';
import { LEAST_BYTES } from './limits';
import { MAX_CLUSTERS } from './boot-region';

const TYPE_CODE = 0x07;
const LARGEST_CLUSTER = 32 * MIB;
/** A volume with fewer has no room for its own structures. */
const LEAST_CLUSTERS = 8;
const USUAL: readonly [number, number][] = [
  [256 * MIB, 4 * KIB],
  [32 * GIB, 32 * KIB],
  [Infinity, 128 * KIB],
];

export function clusterSizesFor(size: number, sectorSize: number): number[] {
  const out: number[] = [];
  for (let cluster = sectorSize; cluster <= LARGEST_CLUSTER; cluster *= 2)
    if (size >= LEAST_BYTES && size / cluster >= LEAST_CLUSTERS && size / cluster <= MAX_CLUSTERS) out.push(cluster);
  return out;
}

export function normaliseExfatLabel(label: string): string {
  if (label.length > LABEL_UNITS)
    throw new CoreError('fs.label', { label, reason: `an exFAT label has at most ${LABEL_UNITS} characters` });
  if (/[\u0000-\u001f"*/:<>?\\|]/.test(label))
    throw new CoreError('fs.label', { label, reason: 'it holds a character that a label must not' });
  return label;
}

export const EXFAT_KIND: KindFacts = {
  kind: 'exfat',
  title: 'exFAT',
  minBytes: LEAST_BYTES,
  maxBytes: MAX_CLUSTERS * LARGEST_CLUSTER,
  maxFileBytes: Number.MAX_SAFE_INTEGER,
  maxLabelLength: LABEL_UNITS,
  clusterSizes: clusterSizesFor,
  defaultClusterSize(size, sectorSize) {
    const usual = USUAL.find(([limit]) => size <= limit)![1];
    return clusterSizesFor(size, sectorSize)
      .filter((c) => c <= Math.max(usual, sectorSize))
      .at(-1);
  },
  mbrType: () => TYPE_CODE,
  normaliseLabel: normaliseExfatLabel,
  holds: {
    keeps: [],
    adopts: true,
    attributes: ['read-only', 'hidden', 'system', 'archive'],
    nameFault: exfatNameFault,
    storedTimes,
    // Boot regions and table, each up to a boundary, then bitmap, case table and root.
    structures: (size, _, clusterSize) => 2 * MIB + (size / clusterSize) * 4.125 + 4 * clusterSize,
    // A set has two entries and one for every fifteen letters.
    entryBytes: (nameLength) => ENTRY_BYTES * (2 + Math.ceil(nameLength / NAME_UNITS)),
  },
};

/** What its driver can open, and what it can do to that. */
export const EXFAT: KindsOfDriver = { kinds: [EXFAT_KIND], abilities: EVERYTHING };
