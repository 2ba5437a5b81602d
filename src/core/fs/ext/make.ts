/**
 * A new ext2, ext3 or ext4 volume. The same options give the same bytes.
 *
 * “ext4 Data Structures and Algorithms”, “High Level Design”. Groups of sixteen have their bitmaps and inode tables
 * together where the kind has that. The first superblock is gathered, so that there is no volume before a whole one.
 */
import { parseUuid, uuidOf } from '../uuid';
import type { BlockDevice } from '@/core/device';
import { CoreError } from '@/core/errors';
import { ceilTo } from '@/core/size';
import { setBits } from '../bitmap';
import type { MakeOptions, Transaction } from '../port';
import type { Extent } from './block-map';
import { buildMap } from './build-map';
import { Draft } from './draft';
import { buildFolder, entryBlock, type FolderStyle } from './build-folder';
import { typeCode } from './folder';
import { headBlocks } from './groups';
import { inodeTableBlocks } from './bitmaps';
import { FLAG, INODE, inodeSeed, JOURNAL_INODE, ROOT_INODE, setBlocks, setExtraSize, setTimes, TYPE } from './inode';
import { journalBackup } from './journal-backup';
import { newJournalHead } from './journal';
import { blockSizesFor, bytesPerInode, EXT_KINDS, journalBlocks, normaliseExtLabel, reservedShare } from './kinds';
import { beginTables, placeTables } from './new-tables';
import { writeResizeInode } from './resize-inode';
import { LEAST_IN_GROUP } from './sizes';
import { styleOf } from './style';
import {
  COMPAT,
  FIRST_USER_INODE,
  has,
  HASH_FLAG,
  INCOMPAT,
  parseSuper,
  RO_COMPAT,
  STATE,
  SUPER,
  SUPER_BYTES,
  type Geometry,
  type SuperFields,
} from './superblock';

const CLEAR_CHUNK = 8 * 1024 * 1024;
const INODE_SIZE = 256;
const OLD_INODE_SIZE = 128;
const EXTRA_SIZE = 32;
const HALF_MD4 = 1;
const LOST_BYTES = 16 * 1024;
/** Descriptors have room to grow to a thousand times as many groups. */
const GROWTH = 1024;

interface Features {
  readonly compat: number;
  readonly incompat: number;
  readonly roCompat: number;
}

/** @param old only what systems of long ago, and small boot loaders, know of the kind */
function featuresOf(kind: string, old: boolean): Features {
  const { resizeInode, dirIndex, attributes, journal } = COMPAT;
  if (old) return oldFeaturesOf(kind);
  const usual = { compat: attributes | resizeInode | dirIndex, incompat: INCOMPAT.filetype };
  const roCompat = RO_COMPAT.sparseSuper | RO_COMPAT.largeFile;
  if (kind === 'ext2') return { ...usual, roCompat };
  if (kind === 'ext3') return { ...usual, compat: usual.compat | journal, roCompat };
  return {
    compat: usual.compat | journal,
    incompat: usual.incompat | INCOMPAT.extents | INCOMPAT.wide | INCOMPAT.flexGroups,
    roCompat: roCompat | RO_COMPAT.hugeFile | RO_COMPAT.dirNlink | RO_COMPAT.extraSize | RO_COMPAT.checksums,
  };
}

/** Without hashed folders, room to grow, checksums and wide numbers; ext4 keeps what makes it one. */
function oldFeaturesOf(kind: string): Features {
  const compat = kind === 'ext2' ? 0 : COMPAT.journal;
  const plain = { compat, incompat: INCOMPAT.filetype, roCompat: RO_COMPAT.sparseSuper };
  if (kind !== 'ext4') return plain;
  const roCompat = plain.roCompat | RO_COMPAT.largeFile | RO_COMPAT.extraSize;
  return { ...plain, incompat: plain.incompat | INCOMPAT.extents, roCompat };
}

/** @throws CoreError `fs.cluster-size` or `fs.label` */
export async function makeExt(device: BlockDevice, options: MakeOptions, tx: Transaction): Promise<void> {
  const { size, sectorSize } = device;
  const { kind, serial, format } = options;
  const facts = EXT_KINDS.find((k) => k.kind === kind)!;
  const valid = blockSizesFor(kind, size, sectorSize);
  const blockSize = options.clusterSize ?? facts.defaultClusterSize(size, sectorSize) ?? 0;
  if (!valid.includes(blockSize))
    throw new CoreError('fs.cluster-size', {
      fileSystem: facts.title,
      clusterSize: blockSize,
      size,
      reason:
        valid.length > 0 ? `it can be ${valid.join(', ')}` : `the volume is too small or too large for ${facts.title}`,
    });
  const bytes = new Uint8Array(SUPER_BYTES);
  SUPER.encode(superFor(options, size, blockSize), bytes);
  const g = parseSuper(bytes, size);
  if (format === 'full')
    for (let at = 0; at < size; at += CLEAR_CHUNK) await tx.clearFree(at, Math.min(CLEAR_CHUNK, size - at));
  await new Maker(g, bytes, tx, serial, format === 'full').run();
}

/** What of a new superblock does not follow from the number of blocks. */
function fixedFields({ kind, label, serial, chosen = {} }: MakeOptions, blockSize: number) {
  const old = chosen.old === true;
  const features = featuresOf(kind, old);
  const inodeSize = old && kind !== 'ext4' ? OLD_INODE_SIZE : INODE_SIZE;
  const extraSize = inodeSize > OLD_INODE_SIZE ? EXTRA_SIZE : 0;
  const logBlockSize = Math.log2(blockSize / 1024);
  const text = new Uint8Array(16);
  text.set(new TextEncoder().encode(normaliseExtLabel(label)));
  return {
    ...features,
    firstDataBlock: blockSize === 1024 ? 1 : 0,
    logBlockSize,
    logClusterSize: logBlockSize,
    blocksPerGroup: blockSize * 8,
    clustersPerGroup: blockSize * 8,
    maxMountCount: 0xffff,
    magic: 0xef53,
    state: STATE.clean,
    errors: 1,
    revision: 1,
    firstInode: FIRST_USER_INODE,
    inodeSize,
    uuid: typeof chosen.uuid === 'string' ? parseUuid(chosen.uuid) : uuidOf(serial),
    label: text,
    journalInode: has(features.compat, COMPAT.journal) ? JOURNAL_INODE : 0,
    hashSeed: uuidOf(serial ^ 0x5bd1e995),
    hashVersion: HALF_MD4,
    descriptorSize: has(features.incompat, INCOMPAT.wide) ? 64 : 0,
    defaultMountOptions: 0xc,
    minExtraSize: extraSize,
    wantExtraSize: extraSize,
    flags: HASH_FLAG.signed,
    logGroupsPerFlex: has(features.incompat, INCOMPAT.flexGroups) ? 4 : 0,
    checksumType: has(features.roCompat, RO_COMPAT.checksums) ? 1 : 0,
  };
}

/** Fields of a new superblock; the number of blocks is such that the last group is of use. */
function superFor(options: MakeOptions, size: number, blockSize: number): Partial<SuperFields> {
  const { chosen = {} } = options;
  const fixed = fixedFields(options, blockSize);
  const { firstDataBlock, blocksPerGroup, inodeSize } = fixed;
  const perBlock = blockSize / inodeSize;
  const perTableBlock = blockSize / (fixed.descriptorSize || 32);
  for (let blocks = Math.floor(size / blockSize); ;) {
    const groups = Math.ceil((blocks - firstDataBlock) / blocksPerGroup);
    const wanted = Math.ceil((blocks * blockSize) / bytesPerInode(size, chosen) / groups);
    const inodesPerGroup = Math.min(
      blocksPerGroup,
      Math.max(ceilTo(16, perBlock), ceilTo(wanted, Math.max(8, perBlock))),
    );
    const tables = Math.ceil(groups / perTableBlock);
    const later = Math.ceil(Math.min(groups * GROWTH, (2 ** 32 - 1) / blocksPerGroup) / perTableBlock);
    const reserved = Math.floor(blocks * reservedShare(chosen));
    const fields: Partial<SuperFields> = {
      ...fixed,
      inodeCount: inodesPerGroup * groups,
      blockCountLow: blocks % 2 ** 32,
      blockCountHigh: Math.floor(blocks / 2 ** 32),
      reservedLow: reserved % 2 ** 32,
      reservedHigh: Math.floor(reserved / 2 ** 32),
      inodesPerGroup,
      reservedTableBlocks: has(fixed.compat, COMPAT.resizeInode)
        ? Math.max(0, Math.min(blockSize / 4, later - tables))
        : 0,
    };
    const probe = new Uint8Array(SUPER_BYTES);
    SUPER.encode(fields, probe);
    const g = parseSuper(probe, size);
    const last = blocks - firstDataBlock - (groups - 1) * blocksPerGroup;
    const needed = headBlocks(g, groups - 1) + 2 + inodeTableBlocks(g) + LEAST_IN_GROUP;
    if (groups === 1 || last >= needed) return fields;
    blocks -= last;
  }
}

class Maker {
  readonly #draft: Draft;
  readonly #extents: boolean;

  constructor(
    private readonly g: Geometry,
    bytes: Uint8Array,
    private readonly tx: Transaction,
    private readonly serial: number,
    private readonly cleared: boolean,
  ) {
    const blocks = new Uint8Array((g.groupCount * g.blocksPerGroup) / 8);
    const inodes = new Uint8Array(Math.ceil((g.groupCount * g.inodesPerGroup) / 8));
    this.#draft = new Draft(g, bytes, [], blocks, inodes);
    this.#extents = has(g.super.incompat, INCOMPAT.extents);
  }

  async run(): Promise<void> {
    const { g, tx } = this;
    const draft = this.#draft;
    placeTables(draft, 0);
    draft.touchAll();
    await beginTables(g, draft.groups, tx, { cleared: this.cleared });
    // Whatever began here before is no more, and the place of a first superblock stays empty until the end.
    if (!this.cleared) await tx.clearFree(0, Math.min(g.blockSize * 2, 4096));
    setBits(draft.inodes, 0, FIRST_USER_INODE - 1, true);
    draft.seekBlock(g.firstDataBlock);
    await this.#folders();
    if (has(g.super.compat, COMPAT.resizeInode))
      await writeResizeInode(draft, undefined, (at, b) => tx.writeFree(at, b));
    const journal = has(g.super.compat, COMPAT.journal) ? await this.#journal() : {};
    await draft.flush(tx, journal, { direct: true, copies: true });
  }

  async #folders(): Promise<void> {
    const { g } = this;
    const draft = this.#draft;
    draft.markInode(FIRST_USER_INODE, true, true);
    draft.groups[0]!.folders += 1;
    const root = this.#inode(TYPE.folder | 0o755, 3);
    const lost = this.#inode(TYPE.folder | 0o700, 2);
    const name = new TextEncoder().encode('lost+found');
    const style = (number: number, inode: Uint8Array): FolderStyle => styleOf(g, inodeSeed(number, inode, g));
    const entry = { inode: FIRST_USER_INODE, name, type: typeCode(TYPE.folder) };
    await this.#put(ROOT_INODE, root, buildFolder(ROOT_INODE, ROOT_INODE, [entry], style(ROOT_INODE, root)).blocks);
    const count = Math.max(1, LOST_BYTES / g.blockSize);
    const [first] = buildFolder(FIRST_USER_INODE, ROOT_INODE, [], style(FIRST_USER_INODE, lost)).blocks;
    const rest = Array.from({ length: count - 1 }, () => entryBlock([], style(FIRST_USER_INODE, lost)));
    await this.#put(FIRST_USER_INODE, lost, [first!, ...rest]);
  }

  #inode(mode: number, links: number): Uint8Array {
    const bytes = new Uint8Array(this.g.inodeSize);
    if (this.g.inodeSize > OLD_INODE_SIZE) setExtraSize(bytes, EXTRA_SIZE);
    INODE.encode({ mode, links, flags: this.#extents ? FLAG.extents : 0 }, bytes);
    setTimes(bytes, {});
    return bytes;
  }

  async #put(number: number, inode: Uint8Array, blocks: readonly Uint8Array[]): Promise<void> {
    const { g, tx } = this;
    const draft = this.#draft;
    const runs = draft.take(blocks.length);
    let at = 0;
    for (const { start, length } of runs)
      for (let i = 0; i < length; i++) await tx.writeFree((start + i) * g.blockSize, blocks[at++]!);
    await this.#map(number, inode, extentsOf(runs), blocks.length * g.blockSize);
  }

  async #map(number: number, inode: Uint8Array, extents: readonly Extent[], size: number): Promise<void> {
    const { g } = this;
    const draft = this.#draft;
    const { root, nodes } = buildMap(
      extents,
      this.#extents,
      g,
      inodeSeed(number, inode, g),
      () => draft.take(1)[0]!.start,
    );
    INODE.encode({ map: root, sizeLow: size % 2 ** 32, sizeHigh: Math.floor(size / 2 ** 32) }, inode);
    setBlocks(
      inode,
      extents.reduce((sum, e) => sum + e.length, nodes.length),
      g,
    );
    draft.draftInode(number, inode);
    for (const { block, bytes } of nodes) await this.tx.writeFree(block * g.blockSize, bytes);
  }

  async #journal(): Promise<Partial<SuperFields>> {
    const { g, tx } = this;
    const draft = this.#draft;
    const count = journalBlocks(g.blockCount);
    // In the middle, where it is never far.
    draft.seek(0.5);
    const together = draft.takeTogether(count, g.firstDataBlock + Math.floor(g.blockCount / 2));
    const runs = together === undefined ? draft.take(count) : [{ start: together, length: count }];
    const inode = this.#inode(TYPE.file | 0o600, 1);
    await this.#map(JOURNAL_INODE, inode, extentsOf(runs), count * g.blockSize);
    for (const { start, length } of runs) await tx.clearFree(start * g.blockSize, length * g.blockSize);
    await tx.writeFree(runs[0]!.start * g.blockSize, newJournalHead(g, count, new Uint8Array(16)));
    return { journalBlocks: journalBackup(inode), journalBackupType: 1, journalInode: JOURNAL_INODE };
  }
}

export function extentsOf(runs: readonly { readonly start: number; readonly length: number }[]): Extent[] {
  let logical = 0;
  return runs.map(({ start, length }) => {
    const extent = { logical, block: start, length };
    logical += length;
    return extent;
  });
}
