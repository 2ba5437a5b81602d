/** What forms and tables need to know of ext2, ext3 and ext4, and which block sizes suit which volume. */
import { CoreError } from '@/core/errors';
import { KIB, MIB, TIB } from '@/core/size';
import { EVERYTHING, type Chosen, type KindFacts, type MakeChoice, type KindsOfDriver } from '../kind-facts';
import { extNameFault } from './folder-names';
import { besideWords, NEW_MODES } from './beside';
import { ATTRIBUTES, storedTimes } from './inode';

const TYPE_CODE = 0x83;
const LABEL_BYTES = 16;
const BLOCK_SIZES = [1 * KIB, 2 * KIB, 4 * KIB];
/** Volumes shorter than this have small blocks. */
const SMALL = 512 * MIB;
const LEAST_BLOCKS = 256;
/** A journal needs as many blocks of its own, and a volume with one twice as many. */
const LEAST_WITH_JOURNAL = 2048;
const MOST_BLOCKS = 2 ** 32 - 1;
const RESERVED_INODES = 11;
const INODE_BYTES = 256;
/** Blocks that a last group has at least beside its head and its inode table, and some to spare. */
const LITTLE_BLOCKS = 64;

export function blockSizesFor(kind: string, size: number, sectorSize: number): number[] {
  const least = kind === 'ext2' ? LEAST_BLOCKS : LEAST_WITH_JOURNAL;
  const most = kind === 'ext4' ? 2 ** 40 : MOST_BLOCKS;
  return BLOCK_SIZES.filter((block) => block >= sectorSize && size / block >= least && size / block <= most);
}

export function normaliseExtLabel(label: string): string {
  if (new TextEncoder().encode(label).length > LABEL_BYTES)
    throw new CoreError('fs.label', { label, reason: `an ext label has at most ${LABEL_BYTES} bytes` });
  if (/[\u0000-\u001f]/.test(label))
    throw new CoreError('fs.label', { label, reason: 'it holds a character that a label must not' });
  return label;
}

/** Bytes of inodes that a new volume has for each so many bytes. */
export const bytesPerInode = (size: number, chosen: Chosen = {}): number =>
  typeof chosen.inodeRatio === 'number' ? chosen.inodeRatio : size >= SMALL ? 16 * KIB : 8 * KIB;

/**
 * Inodes for files and folders that a new volume has at least. A group has no more than it has blocks, and a last group with
 * little beside its own structures is left out.
 */
function leastEntries(size: number, blockSize: number, chosen?: Chosen): number {
  const ratio = Math.max(blockSize, bytesPerInode(size, chosen));
  const group = 8 * blockSize * blockSize;
  const head = blockSize * (LITTLE_BLOCKS + blockSize / 4 + Math.ceil((size / group) * (64 / blockSize)));
  const leftOut = size > group ? head + (group / ratio) * INODE_BYTES : 0;
  return Math.max(0, Math.floor((size - leftOut) / ratio) - RESERVED_INODES);
}

/** The share of blocks that only root gets. */
export const reservedShare = ({ reserved }: Chosen = {}): number =>
  typeof reserved === 'number' ? reserved / 100 : 0.05;

const CHOICES: readonly MakeChoice[] = [
  { id: 'old', title: 'For old systems', kind: 'switch' },
  { id: 'inodeRatio', title: 'Bytes for each inode', kind: 'number', least: 1 * KIB, most: 64 * MIB, unit: 'bytes' },
  { id: 'reserved', title: 'Kept for root', kind: 'number', least: 0, most: 50, unit: '%' },
  { id: 'uuid', title: 'UUID', kind: 'uuid' },
];

/** Blocks of a new journal, by how many the volume has. */
export function journalBlocks(blocks: number): number {
  const steps: readonly [number, number][] = [
    [32_768, 1024],
    [262_144, 4096],
    [524_288, 8192],
    [4_194_304, 16_384],
    [8_388_608, 32_768],
    [16_777_216, 65_536],
    [33_554_432, 131_072],
  ];
  return steps.find(([limit]) => blocks < limit)?.[1] ?? 262_144;
}

/** Filesystem Hierarchy Standard 3.0 §3.11: volumes that come and go have their places below /media. */
const linkPath = (label: string, path: string): string => `/media/${label.replaceAll('/', '_')}/${path}`;

function kind(id: string, title: string, journal: boolean): KindFacts {
  return {
    kind: id,
    title,
    minBytes: (journal ? LEAST_WITH_JOURNAL : LEAST_BLOCKS) * KIB,
    maxBytes: id === 'ext4' ? 2 ** 50 : MOST_BLOCKS * 4 * KIB,
    maxFileBytes: id === 'ext4' ? 16 * TIB - 4 * KIB : 2 * TIB - 4 * KIB,
    maxLabelLength: LABEL_BYTES,
    clusterSizes: (size, sectorSize) => blockSizesFor(id, size, sectorSize),
    defaultClusterSize: (size, sectorSize) => {
      const sizes = blockSizesFor(id, size, sectorSize);
      return size < SMALL ? sizes[0] : sizes.at(-1);
    },
    mbrType: () => TYPE_CODE,
    normaliseLabel: normaliseExtLabel,
    unlettered: true,
    choices: CHOICES,
    holds: {
      keeps: ['hard links', 'path links', 'owners', 'extended attributes', 'special files', 'change times'],
      attributes: [...ATTRIBUTES, 'extended attributes'],
      newBeside: (kind) => besideWords({ mode: NEW_MODES[kind], user: 0, group: 0 }),
      caseSensitive: true,
      adopts: true,
      // A quarter of a group: what a last group is left out for, and copies of descriptors with what is kept beside them.
      adoptionLoses: (clusterSize) => 2 * clusterSize * clusterSize,
      linkTo: {
        by: 'label',
        words: linkPath,
        facts: (label, path) => ({ path: new TextEncoder().encode(linkPath(label, path)) }),
      },
      nameFault: extNameFault,
      storedTimes,
      entryBytes: (nameLength) => 8 + 4 * nameLength + INODE_BYTES,
      entries: leastEntries,
      structures: (size, _, clusterSize, chosen) => {
        const inodes = (size / bytesPerInode(size, chosen)) * INODE_BYTES * 1.1 + 256 * KIB;
        const groups = Math.ceil(size / (clusterSize * clusterSize * 8));
        const copies = (2 + 2 * Math.log2(groups + 1)) * (clusterSize * 258 + groups * 64);
        const own = journal ? journalBlocks(size / clusterSize) * clusterSize : 0;
        return inodes + groups * 3 * clusterSize + copies + own + 64 * KIB;
      },
    },
  };
}

export const EXT_KINDS: readonly KindFacts[] = [
  kind('ext4', 'ext4', true),
  kind('ext3', 'ext3', true),
  kind('ext2', 'ext2', false),
];

/** What its driver can open, and what it can do to that. */
export const EXT: KindsOfDriver = { kinds: EXT_KINDS, abilities: EVERYTHING };
