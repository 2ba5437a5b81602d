/** What forms and tables need to know of FAT12, FAT16 and FAT32, and which cluster sizes suit which volume. */
import { GIB, KIB, MIB } from '@/core/size';
import type { FileTimes } from '../entry';
import { EVERYTHING, type KindFacts, type KindsOfDriver } from '../kind-facts';
import { DIRECTORY_ENTRY_BYTES, tableSectors, type FatKind } from './boot-sector';
import { countRange } from './limits';
import { dateToIso, isoToStamp, stampToIso } from '../dos-time';
import { MAX_DIRECTORY_ENTRIES } from './directory';
import { fatNameFault, LETTERS_AN_ENTRY, nameBytes, normaliseLabel } from './names';

const MAX_SECTORS_A_CLUSTER = 128;
const MAX_CLUSTER_BYTES = 64 * KIB;
const MAX_FILE_BYTES = 0xffffffff;
const MAX_SECTORS = 0xffffffff;
const FIXED_ROOT_ENTRIES = 512;
/** MBR type codes: FAT12, FAT16 below 32 MiB, FAT16 by LBA, FAT32 by LBA. */
const TYPE = { fat12: 0x01, fat16Small: 0x04, fat16: 0x0e, fat32: 0x0c };

/** Cluster sizes by volume size, first match wins. From FATGEN 1.03 “FAT Volume Initialization”, its tables for both kinds. */
const FAT16_SIZES: readonly [number, number][] = [
  [16 * MIB, KIB],
  [128 * MIB, 2 * KIB],
  [256 * MIB, 4 * KIB],
  [512 * MIB, 8 * KIB],
  [GIB, 16 * KIB],
  [2 * GIB, 32 * KIB],
  [4 * GIB, 64 * KIB],
];
const FAT32_SIZES: readonly [number, number][] = [
  [260 * MIB, 512],
  [8 * GIB, 4 * KIB],
  [16 * GIB, 8 * KIB],
  [32 * GIB, 16 * KIB],
  [Infinity, 32 * KIB],
];
const FAT12_SIZES: readonly [number, number][] = [
  [2 * MIB, 512],
  [4 * MIB, KIB],
  [8 * MIB, 2 * KIB],
  [16 * MIB, 4 * KIB],
  [Infinity, 8 * KIB],
];

/** The structures of a new volume, in sectors. */
export interface NewGeometry {
  readonly kind: FatKind;
  readonly sectorSize: number;
  readonly sectorsPerCluster: number;
  readonly reservedSectors: number;
  readonly fatCount: number;
  readonly fatSectors: number;
  readonly rootEntries: number;
  readonly rootSectors: number;
  readonly totalSectors: number;
  readonly dataStart: number;
  readonly clusterCount: number;
}

/**
 * Where everything goes on a new volume, or undefined when size, kind and cluster size do not suit each other. The
 * data area begins on a multiple of the cluster size, up to 32 KiB, by way of the reserved area.
 */
export function planGeometry(
  kind: FatKind,
  size: number,
  sectorSize: number,
  clusterSize: number,
): NewGeometry | undefined {
  const sectorsPerCluster = clusterSize / sectorSize;
  const totalSectors = Math.min(Math.floor(size / sectorSize), MAX_SECTORS);
  if (!Number.isInteger(sectorsPerCluster) || sectorsPerCluster > MAX_SECTORS_A_CLUSTER) return undefined;
  const fatCount = 2;
  const rootEntries = kind === 'fat32' ? 0 : FIXED_ROOT_ENTRIES;
  const rootSectors = Math.ceil((rootEntries * DIRECTORY_ENTRY_BYTES) / sectorSize);
  const least = kind === 'fat32' ? 32 : 1;
  const guess = Math.floor((totalSectors - least - rootSectors) / sectorsPerCluster);
  if (guess < 1) return undefined;
  const fatSectors = tableSectors(kind, guess, sectorSize);
  const bare = least + fatCount * fatSectors + rootSectors;
  const unit = kind === 'fat12' ? 1 : Math.max(1, Math.min(clusterSize, 32 * KIB) / sectorSize);
  const dataStart = Math.ceil(bare / unit) * unit;
  const clusterCount = Math.floor((totalSectors - dataStart) / sectorsPerCluster);
  const { min, max } = countRange(kind);
  if (clusterCount < min || clusterCount > max) return undefined;
  const reservedSectors = least + (dataStart - bare);
  return {
    kind,
    sectorSize,
    sectorsPerCluster,
    reservedSectors,
    fatCount,
    fatSectors,
    rootEntries,
    rootSectors,
    totalSectors,
    dataStart,
    clusterCount,
  };
}

/** Times as they are read once they have been stored: two seconds, ten milliseconds, and a day are told apart. */
function storedTimes({ created, modified, accessed }: FileTimes): FileTimes {
  const { date, time } = isoToStamp(modified);
  return {
    created: stampToIso(isoToStamp(created ?? modified)),
    modified: stampToIso({ date, time }),
    accessed: dateToIso(isoToStamp(accessed ?? modified).date),
  };
}

function validSizes(kind: FatKind, size: number, sectorSize: number): number[] {
  const out: number[] = [];
  for (let cluster = sectorSize; cluster <= MAX_CLUSTER_BYTES; cluster *= 2) {
    if (planGeometry(kind, size, sectorSize, cluster)) out.push(cluster);
  }
  return out;
}

function defaultSize(kind: FatKind, size: number, sectorSize: number): number | undefined {
  const table = kind === 'fat12' ? FAT12_SIZES : kind === 'fat16' ? FAT16_SIZES : FAT32_SIZES;
  const wanted = table.find(([limit]) => size <= limit)?.[1] ?? MAX_CLUSTER_BYTES;
  const valid = validSizes(kind, size, sectorSize);
  return valid.find((c) => c >= wanted) ?? valid.at(-1);
}

function kindFacts(
  kind: FatKind,
  title: string,
  minBytes: number,
  maxBytes: number,
  mbrType: (size: number) => number,
): KindFacts {
  return {
    kind,
    title,
    minBytes,
    maxBytes,
    maxFileBytes: MAX_FILE_BYTES,
    maxLabelLength: 11,
    clusterSizes: (size, sectorSize) => validSizes(kind, size, sectorSize),
    defaultClusterSize: (size, sectorSize) => defaultSize(kind, size, sectorSize),
    mbrType,
    normaliseLabel,
    holds: {
      keeps: [],
      attributes: ['read-only', 'hidden', 'system', 'archive'],
      nameFault: fatNameFault,
      storedTimes,
      structures: (size, sectorSize, clusterSize) => {
        const plan = planGeometry(kind, size, sectorSize, clusterSize);
        return plan ? plan.dataStart * sectorSize + clusterSize : size;
      },
      folderRoom: {
        most: MAX_DIRECTORY_ENTRIES * DIRECTORY_ENTRY_BYTES,
        ...(kind === 'fat32' ? {} : { root: FIXED_ROOT_ENTRIES * DIRECTORY_ENTRY_BYTES }),
        takes: nameBytes,
      },
      entryBytes: (nameLength) => DIRECTORY_ENTRY_BYTES * (1 + Math.ceil(nameLength / LETTERS_AN_ENTRY)),
    },
  };
}

/** The three kinds, the one most likely wanted first. */
export const FAT_KINDS: readonly KindFacts[] = [
  kindFacts('fat32', 'FAT32', 33 * MIB, MAX_SECTORS * 512, () => TYPE.fat32),
  kindFacts('fat16', 'FAT16', 3 * MIB, 4 * GIB, (size) => (size < 32 * MIB ? TYPE.fat16Small : TYPE.fat16)),
  // Its entries have no room for the state bits (FATGEN 1.03, “FAT Data Structure”).
  { ...kindFacts('fat12', 'FAT12', 64 * KIB, 256 * MIB, () => TYPE.fat12), lacks: ['mark'] },
];

/** What its driver can open, and what it can do to that. */
export const FAT: KindsOfDriver = { kinds: FAT_KINDS, abilities: EVERYTHING };
