/**
 * Taking over the files of another volume where they lie. The volume grows over the other one first, round what the files
 * of that hold; then each gets an inode here, with the blocks it has there shifted by a whole number. Trees of extents
 * and folders are built anew, and blocks at which this volume has to have structures of its own are carried off.
 */
import { CoreError } from '@/core/errors';
import { runsOf } from '../bitmap';
import type { FileEntry } from '../entry';
import type { Run } from '../free-space';
import { GatheredDevice } from '../gathered-device';
import type { Adoption, Transaction } from '../port';
import { Retired } from '../retired';
import { sealAttributes, setReferences } from './attributes';
import { clusterCount, inodeTableBlocks, tablesOf } from './bitmaps';
import { BAD_BLOCKS } from './carry-inodes';
import { fixedBecause } from './changeable';
import { hasMap, type Extent } from './block-map';
import { groupStart, headBlocks } from './groups';
import { attributeBlockOf, FLAG, flagsOf, INODE, ownerOf, setBlocks, sizeOf, timesOf, typeOf, TYPE } from './inode';
import { OverLive } from './over-live';
import { resizeExt } from './resize';
import { mapOf, readExt, type ExtState } from './state';
import { has, INCOMPAT, RO_COMPAT, type Geometry } from './superblock';
import { openExtWriter, type ExtWriter } from './writer';

/** What of a volume's features says how its inodes, attributes and names are stored. */
const STORED = INCOMPAT.filetype | INCOMPAT.extents | INCOMPAT.wide | INCOMPAT.inlineData;
const STORED_RO = RO_COMPAT.hugeFile | RO_COMPAT.extraSize;
/** Files with these stand for more than their inode and blocks say. */
const TIED = INCOMPAT.attributeInodes | INCOMPAT.encrypt | INCOMPAT.casefold;

/** Tables of inodes that may have to be written out as part of the change. */
const MOST_TABLES = 64 * 1024 * 1024;

/**
 * What has to be the same of two volumes, beside blocks of one size, for one to take over the files of the other; null
 * where that can't be.
 */
export function adoptionStyle({ g, pending, ...state }: ExtState): string | null {
  const { incompat, roCompat } = g.super;
  if ((incompat & TIED) !== 0 || has(roCompat, RO_COMPAT.verity) || fixedBecause(g) !== undefined || pending)
    return null;
  if (mapOf(state, BAD_BLOCKS).extents.length > 0) return null;
  const lazy = g.checksums || g.groupChecksums;
  if (!lazy && g.groupCount * inodeTableBlocks(g) * g.blockSize > MOST_TABLES) return null;
  return [g.inodeSize, incompat & STORED, roCompat & STORED_RO].join();
}

/** Grows over `source` and takes its files over. @throws CoreError `fs.ability`, `fs.full` */
export async function adoptExt(state: ExtState, source: ExtState, adoption: Adoption, tx: Transaction): Promise<void> {
  const { offset, size, above, entries } = adoption;
  const { blockSize } = state.g;
  const style = adoptionStyle(source);
  const alike = style !== null && adoptionStyle(state) === style && source.g.blockSize === blockSize;
  if (!alike || offset % blockSize !== 0)
    throw new CoreError('fs.ability', { fileSystem: 'ext4', ability: 'take over files of a volume that is unlike it' });
  const from: Source = { state: source, shift: offset / blockSize };
  const live = new Retired(usedBlocks(from));
  const over = new OverLive(tx, live, blockSize);
  const byId = new Map(entries.map(({ entry }) => [entry.id, entry]));
  const blocks = [...byId.values()].flatMap((entry) => contentBlocks(from, entry));
  await resizeExt(state, size, over, { kept: new Retired(blocks), live });
  const grown = await readExt(new GatheredDevice(tx, size, state.device.sectorSize));
  const writer = await openExtWriter(grown, over);
  for (const { path, facts } of above) await writer.mkdir(path, facts);
  await new Inodes(from, grown, writer, over).takeOver(entries);
  await writer.finish();
}

/** A volume whose files are taken over, and by how much numbers of its blocks differ. */
interface Source {
  readonly state: ExtState;
  readonly shift: number;
}

/** All blocks in use of the other volume, and those before its first. */
function usedBlocks({ state: { g, bits }, shift }: Source): Run[] {
  const used = [...runsOf(bits.blocks, 0, clusterCount(g), true)].map(({ start, length }) => ({
    start: start * g.clusterBlocks + g.firstDataBlock + shift,
    length: length * g.clusterBlocks,
  }));
  return g.firstDataBlock > 0 ? [{ start: shift, length: g.firstDataBlock }, ...used] : used;
}

/** What of an inode stays where it is: its content, but for folders, and a block of attributes. */
function contentBlocks({ state, shift }: Source, { id, kind }: FileEntry): Run[] {
  const attributes = attributeBlockOf(state.inodes.get(id)!);
  const { extents } = mapOf(state, id);
  const own = kind === 'folder' ? [] : extents.map(({ block, length }) => ({ start: block + shift, length }));
  return attributes === 0 ? own : [...own, { start: attributes + shift, length: 1 }];
}

/** Blocks in which this volume has structures of its groups. */
function structuresOf({ g, groups }: ExtState): Retired {
  const heads = groups.map((_, n) => ({ start: groupStart(g, n), length: headBlocks(g, n) }));
  const tables = groups.flatMap((group) =>
    [...tablesOf(group, g)].map(({ block, length }) => ({ start: block, length })),
  );
  return new Retired([...heads, ...tables].filter(({ length }) => length > 0));
}

/** A block of attributes: where it comes to, whether it lies there already, and how many inodes here have it. */
interface SharedBlock {
  readonly to: number;
  readonly stays: boolean;
  readonly bytes: Uint8Array;
  inodes: number;
}

/** Inodes of another volume as they are written here. */
class Inodes {
  private readonly g: Geometry;
  readonly #structures: Retired;
  /** Blocks of attributes by where they were: several inodes may share one. */
  readonly #attributes = new Map<number, SharedBlock>();

  constructor(
    private readonly from: Source,
    grown: ExtState,
    private readonly writer: ExtWriter,
    private readonly tx: Transaction,
  ) {
    this.g = grown.g;
    this.#structures = structuresOf(grown);
  }

  async takeOver(entries: Adoption['entries']): Promise<void> {
    const first = new Map<number, string>();
    for (const { entry, to } of entries) {
      const known = first.get(entry.id);
      if (known !== undefined) {
        await this.writer.hardLink(to, known);
        continue;
      }
      const inode = this.from.state.inodes.get(entry.id)?.slice();
      if (!inode) throw new CoreError('fs.not-found', { path: entry.path });
      first.set(entry.id, to);
      const { changed, ...times } = timesOf(inode);
      const facts = { times, owner: ownerOf(inode), ...(changed === undefined ? {} : { changed }) };
      await this.writer.adopt(to, { inode, facts, near: this.#near(entry.id) }, (number) =>
        this.#move(entry.id, number, inode),
      );
    }
    for (const shared of this.#attributes.values()) await this.#writeShared(shared);
  }

  /** The group that lies where the inode's own group was. */
  #near(id: number): number {
    const { g } = this.from.state;
    const block = groupStart(g, Math.floor((id - 1) / g.inodesPerGroup)) + this.from.shift;
    return Math.min(this.g.groupCount - 1, Math.floor((block - this.g.firstDataBlock) / this.g.blocksPerGroup));
  }

  /** Makes a copy of an inode say where its blocks are here. */
  async #move(id: number, number: number, inode: Uint8Array): Promise<void> {
    const folder = typeOf(inode) === TYPE.folder;
    const attributes = attributeBlockOf(inode);
    if (attributes !== 0) this.#point(inode, await this.#attributeBlock(attributes));
    if (folder) {
      INODE.encode({ flags: (flagsOf(inode) & ~FLAG.index) >>> 0 }, inode);
      if (has(flagsOf(inode), FLAG.inlineData)) return;
      INODE.encode({ map: new Uint8Array(60) }, inode);
      await this.#setMap(number, inode, []);
    } else if (hasMap(inode))
      await this.#setMap(number, inode, await this.#extents(mapOf(this.from.state, id).extents));
    else setBlocks(inode, attributes === 0 ? 0 : 1, this.g);
    if (typeOf(inode) === TYPE.file) this.writer.inodes.holds(sizeOf(inode));
  }

  async #setMap(number: number, inode: Uint8Array, extents: readonly Extent[]): Promise<void> {
    for (const { block, bytes } of this.writer.inodes.setMap(number, inode, extents))
      await this.tx.writeFree(block * this.g.blockSize, bytes);
  }

  #point(inode: Uint8Array, block: number): void {
    INODE.encode({ attributesLow: block % 2 ** 32, attributesHigh: Math.floor(block / 2 ** 32) }, inode);
  }

  /** Where a block of attributes comes to, for one inode more. */
  async #attributeBlock(block: number): Promise<number> {
    const known = this.#attributes.get(block);
    if (known) {
      known.inodes += 1;
      return known.to;
    }
    const { blockSize } = this.g;
    const bytes = await this.from.state.device.bytes(block * blockSize, blockSize);
    const there = block + this.from.shift;
    const stays = this.#stays(there);
    const to = stays ? there : this.writer.take(1)[0]!.start;
    this.#attributes.set(block, { to, stays, bytes, inodes: 1 });
    return to;
  }

  /** Not all that shared it may have come along; and its checksum begins with its place. */
  async #writeShared({ to, stays, bytes, inodes }: SharedBlock): Promise<void> {
    setReferences(bytes, inodes);
    sealAttributes(bytes, to, this.g);
    const offset = to * this.g.blockSize;
    await (stays ? this.tx.write(offset, bytes) : this.tx.writeFree(offset, bytes));
  }

  #stays(block: number): boolean {
    return block < this.g.blockCount && !this.#structures.meets(block, 1);
  }

  async #extents(extents: readonly Extent[]): Promise<Extent[]> {
    const out: Extent[] = [];
    for (const extent of extents) {
      const shifted = { ...extent, block: extent.block + this.from.shift };
      for (const piece of this.#pieces(shifted.block, shifted.length)) {
        const logical = extent.logical + piece.start - shifted.block;
        const part = { ...shifted, logical, block: piece.start, length: piece.length };
        if (piece.lost) out.push(...(await this.#carry(part)));
        else out.push(part);
      }
    }
    return out;
  }

  /** A run, cut where this volume has structures, and where it ends. */
  *#pieces(block: number, length: number): Generator<{ start: number; length: number; lost: boolean }> {
    const inside = Math.max(0, Math.min(length, this.g.blockCount - block));
    yield* this.#structures.pieces(block, inside);
    if (inside < length) yield { start: block + inside, length: length - inside, lost: true };
  }

  async #carry(piece: Extent): Promise<Extent[]> {
    const { blockSize } = this.g;
    const out: Extent[] = [];
    let done = 0;
    for (const { start, length } of this.writer.take(piece.length)) {
      const from = (piece.block - this.from.shift + done) * blockSize;
      if (!piece.unwritten) await this.tx.copyFrom(this.from.state.device, from, start * blockSize, length * blockSize);
      out.push({ ...piece, logical: piece.logical + done, block: start, length });
      done += length;
    }
    return out;
  }
}
