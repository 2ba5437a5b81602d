/**
 * An ext volume as it is read: superblock, groups, bitmaps, inodes in use, where all blocks are, and all names. What its
 * journal still has to write is brought in before anything else is looked at.
 */
import type { BlockDevice } from '@/core/device';
import { CoreError, type Finding } from '@/core/errors';
import { readBitmaps, type Bitmaps } from './bitmaps';
import { extentsInside, hasMap, isShortTree, readBlockMap, type BlockMap } from './block-map';
import { blockKindOf, entriesIn, isDots } from './folder';
import { readGroups, type Group } from './groups';
import { inlineOf } from './attributes';
import { FLAG, flagsOf, ROOT_INODE, sizeOf, typeOf, TYPE } from './inode';
import { InodeTable, inodeAt } from './inode-table';
import { Journal, ReplayedDevice } from './journal';
import {
  COMPAT,
  has,
  INCOMPAT,
  looksLikeExt,
  parseSuper,
  SUPER_AT,
  SUPER_BYTES,
  unknownFeatures,
  type Geometry,
} from './superblock';

const MAX_FINDINGS = 1000;
const MAX_FOLDER_BYTES = 1024 * 1024 * 1024;
const MAX_DEPTH = 2000;

/** A name of the tree: what it leads to, and in which folder it stands. */
interface Name {
  readonly inode: number;
  /** The number of the name of the folder that it is in; -1 for the root. */
  readonly parent: number;
  readonly bytes: Uint8Array;
  /** What it says it leads to. */
  readonly type: number;
}

/** A journal that has something to write yet. */
interface Pending {
  readonly journal: Journal;
  readonly blocks: ReadonlyMap<number, Uint8Array>;
}

export interface ExtState {
  /** With what the journal has brought in. */
  readonly device: BlockDevice;
  readonly raw: BlockDevice;
  readonly bytes: Uint8Array;
  readonly g: Geometry;
  readonly groups: readonly Group[];
  readonly bits: Bitmaps;
  readonly inodes: InodeTable;
  readonly names: readonly Name[];
  readonly findings: readonly Finding[];
  readonly pending: Pending | undefined;
  /** What was read of maps that do not stand in their inode alone. */
  readonly maps: ReadonlyMap<number, BlockMap>;
}

const damaged = (reason: string): CoreError =>
  new CoreError('fs.damaged', { fileSystem: 'ext', reason, offset: SUPER_AT });

/** Reads everything. @throws CoreError `fs.unknown`, `fs.damaged`, `device.read-failed` */
export async function readExt(raw: BlockDevice): Promise<ExtState> {
  const superOf = async (device: BlockDevice): Promise<Uint8Array> => device.bytes(SUPER_AT, SUPER_BYTES);
  let bytes = await superOf(raw);
  if (!looksLikeExt(bytes)) throw new CoreError('fs.unknown', { offset: 0 });
  let g = parseSuper(bytes, raw.size);
  const { toRead } = unknownFeatures(g.super);
  if (toRead !== 0) throw damaged(`it has features that are not known here (0x${toRead.toString(16)})`);
  const pending = has(g.super.incompat, INCOMPAT.recover) ? await pendingOf(raw, g) : undefined;
  const device = pending ? new ReplayedDevice(raw, pending.blocks, g.blockSize) : raw;
  if (pending) {
    bytes = await superOf(device);
    g = parseSuper(bytes, raw.size);
  }
  const groups = await readGroups(device, g);
  assertPlaces(g, groups);
  const bits = await readBitmaps(device, g, groups);
  const inodes = await InodeTable.read(device, g, groups, bits.inodes);
  const maps = await readMaps(device, g, inodes);
  const { names, findings } = await new NameReader(device, g, inodes, maps).read();
  return { device, raw, bytes, g, groups, bits, inodes, names, findings, pending, maps };
}

/** Every structure of a group lies within the volume, so that all that follows may read it. */
function assertPlaces(g: Geometry, groups: readonly Group[]): void {
  const tables = Math.ceil((g.inodesPerGroup * g.inodeSize) / g.blockSize);
  const inside = (block: number, length: number): boolean =>
    block >= g.firstDataBlock && block + length <= g.blockCount;
  for (const [n, group] of groups.entries())
    if (!inside(group.blockBitmap, 1) || !inside(group.inodeBitmap, 1) || !inside(group.inodeTable, tables))
      throw damaged(`the structures of group ${n} lie outside of it`);
}

/** What its journal has to write yet. @throws CoreError `fs.damaged` where it can't be known */
async function pendingOf(raw: BlockDevice, g: Geometry): Promise<Pending> {
  const { compat, journalInode } = g.super;
  if (!has(compat, COMPAT.journal) || journalInode === 0)
    throw damaged('its journal is on another device, and has something to write yet');
  const groups = await readGroups(raw, g);
  assertPlaces(g, groups);
  if (journalInode > g.super.inodeCount) throw damaged('its journal is nowhere');
  const inode = await raw.bytes(inodeAt(journalInode, groups, g), g.inodeSize);
  const { extents } = await readBlockMap(raw, g, journalInode, inode);
  const journal = await Journal.open(raw, g, extents);
  if (journal.unknown && journal.pending) throw damaged(`its journal ${journal.unknown}`);
  return { journal, blocks: await journal.replayed() };
}

/** Maps that have blocks of their own, each read once. */
async function readMaps(device: BlockDevice, g: Geometry, inodes: InodeTable): Promise<Map<number, BlockMap>> {
  const maps = new Map<number, BlockMap>();
  for (const number of inodes.numbers()) {
    const bytes = inodes.get(number)!;
    if (!hasMap(bytes)) continue;
    const sound = has(flagsOf(bytes), FLAG.extents) && isShortTree(bytes, g);
    if (!sound) maps.set(number, await readBlockMap(device, g, number, bytes));
  }
  return maps;
}

/** Where an inode's blocks are. */
export function mapOf({ inodes, maps }: Pick<ExtState, 'inodes' | 'maps'>, number: number): BlockMap {
  const known = maps.get(number);
  if (known) return known;
  const bytes = inodes.get(number);
  return { extents: bytes && hasMap(bytes) ? (extentsInside(bytes) ?? []) : [], inner: [] };
}

/** The content of a folder, or of anything else that is short, by its blocks; stretches that it has not read as zeros. */
export async function readContent(
  device: BlockDevice,
  g: Geometry,
  map: BlockMap,
  length: number,
): Promise<Uint8Array<ArrayBuffer>> {
  const out = new Uint8Array(length);
  for (const { logical, block, length: blocks, unwritten } of map.extents) {
    const at = logical * g.blockSize;
    const part = Math.min(blocks * g.blockSize, length - at);
    if (part > 0 && !unwritten) await device.read(block * g.blockSize, out.subarray(at, at + part));
  }
  return out;
}

class NameReader {
  readonly #names: Name[] = [];
  readonly #findings: Finding[] = [];
  readonly #seen = new Set<number>();

  constructor(
    private readonly device: BlockDevice,
    private readonly g: Geometry,
    private readonly inodes: InodeTable,
    private readonly maps: ReadonlyMap<number, BlockMap>,
  ) {}

  async read(): Promise<{ names: Name[]; findings: Finding[] }> {
    const root = this.inodes.get(ROOT_INODE);
    if (!root || typeOf(root) !== TYPE.folder) throw damaged('its root folder is missing');
    const queue: { inode: number; name: number; depth: number }[] = [{ inode: ROOT_INODE, name: -1, depth: 0 }];
    this.#seen.add(ROOT_INODE);
    for (let next = queue.pop(); next; next = queue.pop()) {
      const below: typeof queue = [];
      for (const name of await this.#folder(next.inode, next.name)) {
        const bytes = this.inodes.get(name.inode);
        if (!bytes || typeOf(bytes) !== TYPE.folder) continue;
        if (this.#seen.has(name.inode) || next.depth >= MAX_DEPTH) {
          this.#find('error', 'ext.loop', `Folder ${name.inode} stands in two places.`);
          continue;
        }
        this.#seen.add(name.inode);
        below.push({ inode: name.inode, name: name.index, depth: next.depth + 1 });
      }
      queue.push(...below.reverse());
    }
    return { names: this.#names, findings: this.#findings };
  }

  async #folder(number: number, parent: number): Promise<{ inode: number; index: number }[]> {
    const inode = this.inodes.get(number)!;
    const out: { inode: number; index: number }[] = [];
    for (const { bytes, from, to } of await this.#stretches(number, inode)) {
      const { entries, fault } = entriesIn(bytes, from, to);
      if (fault) this.#find('error', 'ext.folder', `Folder ${number}: ${fault}.`);
      for (const { inode: to, name, type } of entries) {
        if (isDots(name)) continue;
        if (!this.inodes.isUsed(to)) {
          this.#find('error', 'ext.name', `A name in folder ${number} leads to inode ${to}, which is not in use.`);
          continue;
        }
        out.push({ inode: to, index: this.#names.length });
        this.#names.push({ inode: to, parent, bytes: name, type });
      }
    }
    return out;
  }

  async #stretches(number: number, inode: Uint8Array): Promise<{ bytes: Uint8Array; from: number; to: number }[]> {
    if (has(flagsOf(inode), FLAG.inlineData)) {
      const bytes = inlineOf(inode);
      // The folder above it comes first, as its number alone.
      return [
        { bytes, from: Math.min(4, bytes.length), to: Math.min(bytes.length, 60) },
        ...(bytes.length > 60 ? [{ bytes, from: 60, to: bytes.length }] : []),
      ];
    }
    const size = sizeOf(inode);
    if (size > MAX_FOLDER_BYTES || size % this.g.blockSize !== 0) {
      this.#find('error', 'ext.folder', `Folder ${number} is of a size that can’t be.`);
      return [];
    }
    const map = mapOf({ inodes: this.inodes, maps: this.maps }, number);
    const bytes = await readContent(this.device, this.g, map, size);
    const indexed = has(flagsOf(inode), FLAG.index);
    const out = [];
    for (const { logical, length } of map.extents)
      for (let n = logical; n < logical + length; n++) {
        const from = n * this.g.blockSize;
        if (from >= size) break;
        const block = bytes.subarray(from, from + this.g.blockSize);
        // An index stands in blocks that look empty, but for its root with the two names of every folder.
        if (blockKindOf(block, n === 0, indexed) === 'index' && n > 0) continue;
        out.push({ bytes, from, to: from + this.g.blockSize });
      }
    return out;
  }

  #find(severity: Finding['severity'], code: string, message: string): void {
    if (this.#findings.length < MAX_FINDINGS) this.#findings.push({ severity, code, message });
  }
}
