/**
 * The check of an ext volume: superblock and copies, descriptors, bitmaps against what is reachable, checksums, links,
 * folders and their indexes, and the blocks that are kept for descriptors.
 */
import type { Finding } from '@/core/errors';
import { spaced } from '@/core/size';
import { countIn, onlyIn } from '../bitmap';
import { isBlockOfAttributesSealed, isAttributes, referencesOf } from './attributes';
import { clusterCount, clustersOf } from './bitmaps';
import { checkFolders } from './check-folders';
import { hasMap } from './block-map';
import { bitmapChecksum, encodeGroup, groupStart, GROUP_FLAG } from './groups';
import {
  attributeBlockOf,
  blocksOf,
  FLAG,
  flagsOf,
  isSealed,
  linksOf,
  RESIZE_INODE,
  ROOT_INODE,
  typeOf,
  TYPE,
} from './inode';
import { ownershipOf } from './ownership';
import { keptForTables } from './resize-inode';
import { mapOf, type ExtState } from './state';
import { COMPAT, has, hasSuperCopy, INCOMPAT, STATE, SUPER, SUPER_BYTES, superSum } from './superblock';

const MOST_EACH = 50;

/** Gathers findings, some of each kind. */
export class Findings {
  readonly all: Finding[] = [];
  readonly #counts = new Map<string, number>();

  add(severity: Finding['severity'], code: string, message: string): void {
    const count = (this.#counts.get(code) ?? 0) + 1;
    this.#counts.set(code, count);
    if (count <= MOST_EACH) this.all.push({ severity, code, message });
  }
}

/** @throws CoreError `device.read-failed` */
export async function checkExt(state: ExtState): Promise<readonly Finding[]> {
  const out = new Findings();
  out.all.push(...state.findings);
  checkState(state, out);
  await checkCopies(state, out);
  await checkGroups(state, out);
  checkBlocks(state, out);
  await checkInodes(state, out);
  await checkFolders(state, out);
  if (has(state.g.super.compat, COMPAT.resizeInode)) checkKept(state, out);
  return out.all;
}

function checkState({ g, bytes, pending }: ExtState, out: Findings): void {
  const { state } = g.super;
  if (g.checksums && SUPER.decode(bytes).checksum !== superSum(bytes))
    out.add('error', 'ext.super', 'The checksum of the superblock does not agree.');
  if (pending?.journal.pending)
    out.add('info', 'ext.journal', 'It was not shut down: what its journal holds yet is seen as if it were written.');
  if (has(state, STATE.errors))
    out.add('error', 'ext.dirty', 'Its system has found errors on it, and wants to check it.');
  else if (!has(state, STATE.clean) && !has(g.super.compat, COMPAT.journal))
    out.add('error', 'ext.dirty', 'It was not shut down, and has no journal: its system wants to check it.');
  else if (!has(state, STATE.clean)) out.add('error', 'ext.dirty', 'It is marked to be checked by its system.');
  if (g.super.lastOrphan !== 0)
    out.add(
      'warning',
      'ext.orphans',
      'Files that were taken away while they were open are taken away at its next start.',
    );
}

async function checkCopies({ g, device, bytes }: ExtState, out: Findings): Promise<void> {
  const own = SUPER.decode(bytes);
  for (let n = 1; n < g.groupCount; n++) {
    if (!hasSuperCopy(g, n)) continue;
    const copy = SUPER.decode(await device.bytes(groupStart(g, n) * g.blockSize, SUPER_BYTES));
    const same =
      copy.magic === own.magic &&
      copy.blockCountLow === own.blockCountLow &&
      copy.inodeCount === own.inodeCount &&
      copy.logBlockSize === own.logBlockSize &&
      copy.uuid.every((b, i) => b === own.uuid[i]);
    if (!same)
      out.add('warning', 'ext.copies', `The copy of the superblock in group ${n} is of another volume, or none.`);
  }
}

async function checkGroups(state: ExtState, out: Findings): Promise<void> {
  const { g, groups, bits, device, inodes, pending } = state;
  const folders = new Uint32Array(g.groupCount);
  for (const number of inodes.numbers())
    if (inodes.typeAt(number) === TYPE.folder) folders[Math.floor((number - 1) / g.inodesPerGroup)]! += 1;
  let [freeBlocks, freeInodes] = [0, 0];
  for (const [n, group] of groups.entries()) {
    const raw = new Uint8Array(g.descriptorSize);
    encodeGroup(group, n, g, raw, 0);
    const sum = raw[0x1e]! | (raw[0x1f]! << 8);
    if ((g.checksums || g.groupChecksums) && sum !== group.checksum)
      out.add('error', 'ext.group', `The checksum of the descriptor of group ${n} does not agree.`);
    const per = g.blocksPerGroup / g.clusterBlocks;
    const free = clustersOf(g, n) - countIn(bits.blocks, n * per, n * per + clustersOf(g, n));
    const left = g.inodesPerGroup - countIn(bits.inodes, n * g.inodesPerGroup, (n + 1) * g.inodesPerGroup);
    freeBlocks += free * g.clusterBlocks;
    freeInodes += left;
    if (free !== group.freeBlocks || left !== group.freeInodes)
      out.add(
        'warning',
        'ext.counts',
        `Group ${n} counts ${group.freeBlocks} blocks and ${group.freeInodes} inodes as free, and has ${free} and ${left}.`,
      );
    if (folders[n] !== group.folders)
      out.add('warning', 'ext.counts', `Group ${n} counts ${group.folders} folders, and has ${folders[n]}.`);
    if (!g.checksums) continue;
    const of = async (block: number): Promise<Uint8Array> => device.bytes(block * g.blockSize, g.blockSize);
    if (
      !(group.flags & GROUP_FLAG.blocksUnused) &&
      bitmapChecksum(await of(group.blockBitmap), per, g) !== group.blockChecksum
    )
      out.add('error', 'ext.bitmap', `The checksum of the block bitmap of group ${n} does not agree.`);
    if (
      !(group.flags & GROUP_FLAG.inodesUnused) &&
      bitmapChecksum(await of(group.inodeBitmap), g.inodesPerGroup & ~7, g) !== group.inodeChecksum
    )
      out.add('error', 'ext.bitmap', `The checksum of the inode bitmap of group ${n} does not agree.`);
  }
  const told = g.super.freeBlocksLow + g.super.freeBlocksHigh * 2 ** 32;
  if (!pending && (told !== freeBlocks || g.super.freeInodes !== freeInodes))
    out.add(
      'warning',
      'ext.counts',
      `The superblock counts ${spaced(told)} blocks as free, and there are ${spaced(freeBlocks)}.`,
    );
}

function checkBlocks(state: ExtState, out: Findings): void {
  const { g, bits } = state;
  const { files, strays, crossed } = ownershipOf(state);
  for (const { block, inode } of crossed)
    out.add('error', 'ext.cross-link', `Block ${block} belongs to inode ${inode} and to something else.`);
  const stray = strays.reduce((sum, r) => sum + r.length, 0);
  if (stray > 0) out.add('warning', 'ext.lost', `${spaced(stray)} blocks are marked as in use and belong to nobody.`);
  const unmarked = onlyIn(files, bits.blocks, clusterCount(g)).reduce((sum, r) => sum + r.length, 0);
  if (unmarked > 0) out.add('error', 'ext.free', `${spaced(unmarked)} blocks of files are marked as free.`);
}

async function checkInodes(state: ExtState, out: Findings): Promise<void> {
  const { g, inodes, names, device } = state;
  const named = new Uint32Array(names.length);
  const above: number[] = [];
  for (let n = 0; n < names.length; n++) {
    named[n] = names.inode(n);
    if (inodes.typeAt(named[n]!) === TYPE.folder) above.push(names.above(n, ROOT_INODE));
  }
  const links = ascendingCounts(named);
  const folders = ascendingCounts(Uint32Array.from(above));
  const { shared } = ownershipOf(state);
  for (const [block, count] of shared) {
    const bytes = await device.bytes(block * g.blockSize, g.blockSize);
    if (!isAttributes(bytes))
      out.add('error', 'ext.attributes', `Block ${block} should hold attributes, and does not.`);
    else if (!isBlockOfAttributesSealed(bytes, block, g))
      out.add('error', 'ext.attributes', `The checksum of the attributes in block ${block} does not agree.`);
    else if (referencesOf(bytes) !== count)
      out.add(
        'warning',
        'ext.attributes',
        `Block ${block} of attributes says that ${referencesOf(bytes)} inodes share it, and ${count} do.`,
      );
  }
  for (const number of inodes.numbers()) {
    const bytes = inodes.get(number)!;
    const [linked, below] = [links(number), folders(number)];
    if (attributeBlockOf(bytes) >= g.blockCount)
      out.add('error', 'ext.attributes', `The attributes of inode ${number} lie outside the volume.`);
    const isReserved = number < g.super.firstInode && number !== 2;
    if (typeOf(bytes) === 0 && isReserved) continue;
    if (!isSealed(number, bytes, g)) out.add('error', 'ext.inode', `The checksum of inode ${number} does not agree.`);
    const map = mapOf(state, number);
    if (map.fault) out.add('error', 'ext.map', `Inode ${number}: ${map.fault}.`);
    if (number !== RESIZE_INODE) checkCount(state, number, bytes, map, out);
    if (isReserved || has(flagsOf(bytes), FLAG.attributeInode) || isSystemFile(state, number)) continue;
    checkLinks(number, bytes, linked, below, out);
  }
}

/** How often a number stands among some, asked for one behind the other, the lowest first. The list is sorted for it. */
function ascendingCounts(numbers: Uint32Array): (number: number) => number {
  numbers.sort();
  let at = 0;
  return (number) => {
    while (at < numbers.length && numbers[at]! < number) at += 1;
    const first = at;
    while (numbers[at] === number) at += 1;
    return at - first;
  };
}

/** Files of the system's own have no names. */
const isSystemFile = ({ g: { super: s } }: ExtState, number: number): boolean =>
  number === s.userQuotaInode ||
  number === s.groupQuotaInode ||
  number === s.projectQuotaInode ||
  number === s.orphanFileInode;

function checkCount(
  { g }: ExtState,
  number: number,
  bytes: Uint8Array,
  { extents, inner }: ReturnType<typeof mapOf>,
  out: Findings,
): void {
  if (!hasMap(bytes)) return;
  const own = attributeBlockOf(bytes) === 0 ? 0 : 1;
  const units = (extents.reduce((sum, e) => sum + e.length, inner.length + own) * g.blockSize) / 512;
  // Values in inodes of their own, and clusters, are counted in ways that are not followed here.
  if (g.clusterBlocks > 1 || has(g.super.incompat, INCOMPAT.attributeInodes)) return;
  if (blocksOf(bytes, g) !== units)
    out.add(
      'warning',
      'ext.counts',
      `Inode ${number} says that it has ${blocksOf(bytes, g)} sectors, and has ${units}.`,
    );
}

function checkLinks(number: number, bytes: Uint8Array, names: number, below: number, out: Findings): void {
  const isFolder = typeOf(bytes) === TYPE.folder;
  const stored = linksOf(bytes);
  if (names === 0 && number !== 2) {
    if (stored === 0) return;
    out.add('warning', 'ext.unnamed', `Inode ${number} is in use and has no name.`);
    return;
  }
  const expected = isFolder ? 2 + below : names;
  // A folder with more than fits says 1.
  if (stored !== expected && !(isFolder && stored === 1))
    out.add('error', 'ext.links', `Inode ${number} says that it has ${stored} links, and has ${expected}.`);
}

function checkKept(state: ExtState, out: Findings): void {
  const { g } = state;
  const kept = keptForTables(g);
  if (kept.length === 0) return;
  const { extents } = mapOf(state, RESIZE_INODE);
  const told = new Set(extents.flatMap((e) => Array.from({ length: e.length }, (_, i) => e.block + i)));
  const missing = kept.some(({ copies }) => copies.some((block) => !told.has(block)));
  if (missing) out.add('warning', 'ext.resize-inode', 'The blocks that are kept for descriptors are not all listed.');
}
