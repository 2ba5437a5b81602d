/**
 * Resizing an ext volume. Growing adds groups; shrinking carries in what lies past the new end, gives inodes of groups
 * that go new numbers, and changes everything that refers to either.
 *
 * What a group that goes has of its own is free only afterwards, so that nothing is written over what is still in use.
 */
import { CoreError } from '@/core/errors';
import type { Run } from '../free-space';
import type { Transaction } from '../port';
import { sealAttributes } from './attributes';
import { inodeTableBlocks, markBlocks, tablesOf } from './bitmaps';
import type { BlockMap, Extent } from './block-map';
import { buildMap } from './build-map';
import { assertChangeable } from './changeable';
import { Draft } from './draft';
import { groupStart, headBlocks } from './groups';
import { attributeBlockOf, FLAG, flagsOf, INODE, inodeSeed, RESIZE_INODE, setBlocks, typeOf, TYPE } from './inode';
import { journalBackup } from './journal-backup';
import { sealOrphans } from './orphan-file';
import { References, type Moved, type MovedAttributes } from './references';
import { beginTables } from './new-tables';
import { writeResizeInode } from './resize-inode';
import { geometryFor, headsLost, sizeFields } from './sizes';
import { mapOf, type ExtState } from './state';
import { COMPAT, has, INCOMPAT, RO_COMPAT, type Geometry, type SuperFields } from './superblock';
import { settled, settleExt } from './superblock-edits';

const BAD_BLOCKS = 1;

/** Resizes to at most `size` bytes. The caller has checked limits and soundness. @throws CoreError `fs.full` */
export async function resizeExt(state: ExtState, size: number, tx: Transaction): Promise<void> {
  assertChangeable(state.g, 'be resized');
  await settleExt(state, tx);
  await new Resize(state, geometryFor(state.g, state.groups, size), tx).run();
}

class Resize {
  readonly #draft: Draft;
  readonly #freed: Run[] = [];
  readonly #numbers = new Map<number, number>();
  readonly #moved = new Map<number, Moved>();
  readonly #attributes = new Map<number, MovedAttributes>();
  readonly #fields: Partial<SuperFields> = {};

  constructor(
    private readonly state: ExtState,
    private readonly to: Geometry,
    private readonly tx: Transaction,
  ) {
    const { bits, groups, bytes } = state;
    const fit = (from: Uint8Array, count: number): Uint8Array => {
      const out = new Uint8Array(Math.ceil(count / 8));
      out.set(from.subarray(0, out.length));
      return out;
    };
    this.#draft = new Draft(
      to,
      bytes,
      groups.slice(0, to.groupCount).map((group) => ({ ...group })),
      fit(bits.blocks, to.groupCount * to.blocksPerGroup),
      fit(bits.inodes, to.groupCount * to.inodesPerGroup),
    );
  }

  async run(): Promise<void> {
    const { state, to } = this;
    const draft = this.#draft;
    // What the last group has is of another length, and those behind it are new.
    for (let n = Math.min(state.g.groupCount, to.groupCount) - 1; n < to.groupCount; n++) draft.touch(n);
    draft.seekBlock(to.firstDataBlock);
    if (to.groupCount > state.g.groupCount) await this.#addGroups();
    this.#dropHeads();
    this.#dropGroups();
    await this.#moveTables();
    this.#renumber();
    for (const number of state.inodes.numbers()) await this.#carry(number);
    await this.#refer();
    await this.#writeInodes();
    await this.#writeKept();
    for (const { start, length } of this.#freed) this.#free(start, length);
    const fields = settled(state, { ...sizeFields(to), ...this.#fields });
    await draft.flush(this.tx, fields, { copies: true });
  }

  /** Of blocks that are past the new end nothing is to be said. */
  #free(block: number, length: number): void {
    const inside = Math.min(length, this.to.blockCount - block);
    if (inside > 0) this.#draft.mark(block, inside, false);
  }

  async #addGroups(): Promise<void> {
    const { state, to, tx } = this;
    const draft = this.#draft;
    draft.placeTables(state.g.groupCount);
    await beginTables(to, draft.groups.slice(state.g.groupCount, to.groupCount), tx);
  }

  /** What is no longer kept for descriptors becomes free; what is head from now on was free, or is behind the old end. */
  #dropHeads(): void {
    const { state, to } = this;
    for (const { block, length } of headsLost(state.g, to)) this.#freed.push({ start: block, length });
    for (let n = 0; n < to.groupCount; n++) {
      const length = Math.min(headBlocks(to, n), to.blockCount - groupStart(to, n));
      markBlocks(this.#draft.blocks, to, groupStart(to, n), length);
    }
  }

  #dropGroups(): void {
    const { groups, g } = this.state;
    for (const group of groups.slice(this.to.groupCount))
      for (const { block, length } of tablesOf(group, g)) this.#freed.push({ start: block, length });
  }

  /** Bitmaps and inode tables of groups that stay, where they lie past the new end. */
  async #moveTables(): Promise<void> {
    const { to, state } = this;
    const draft = this.#draft;
    for (let n = 0; n < Math.min(state.g.groupCount, to.groupCount); n++) {
      const group = draft.groups[n]!;
      const outside = (block: number, length: number): boolean => block + length > to.blockCount;
      const place = (length: number): number => {
        const block = draft.takeTogether(length, to.firstDataBlock);
        if (block === undefined)
          throw new CoreError('fs.full', { needed: length * to.blockSize, free: draft.freeBlocks * to.blockSize });
        return block;
      };
      const length = inodeTableBlocks(to);
      if (outside(group.blockBitmap, 1) || outside(group.inodeBitmap, 1)) draft.touch(n);
      if (outside(group.blockBitmap, 1)) group.blockBitmap = place(1);
      if (outside(group.inodeBitmap, 1)) group.inodeBitmap = place(1);
      if (!outside(group.inodeTable, length)) continue;
      const block = place(length);
      this.#freed.push({ start: group.inodeTable, length });
      await this.#copy(group.inodeTable, block, length);
      group.inodeTable = block;
    }
    const { multiMountBlock, incompat } = to.super;
    if (!has(incompat, INCOMPAT.multiMount) || Number(multiMountBlock) < to.blockCount) return;
    const block = draft.take(1)[0]!.start;
    await this.#copy(Number(multiMountBlock), block, 1);
    this.#fields.multiMountBlock = BigInt(block);
  }

  /** Inodes of groups that go get the first numbers that are free. */
  #renumber(): void {
    const { state, to } = this;
    const most = to.groupCount * to.inodesPerGroup;
    for (const number of state.inodes.numbers()) {
      if (number <= most) continue;
      if (has(state.g.super.roCompat, RO_COMPAT.orphans))
        throw new CoreError('fs.ability', {
          fileSystem: 'ext4',
          ability: 'be shrunk so far, since files that were taken away while open are still on it',
        });
      if (has(state.g.super.compat, COMPAT.stableInodes))
        throw new CoreError('fs.ability', {
          fileSystem: 'ext4',
          ability: 'be shrunk so far, since its inodes keep their numbers',
        });
      const folder = typeOf(state.inodes.get(number)!) === TYPE.folder;
      this.#numbers.set(number, this.#draft.takeInode(0, folder));
    }
  }

  #numberOf(number: number): number {
    return this.#numbers.get(number) ?? number;
  }

  /** Copies blocks, with what the journal has of them yet. */
  async #copy(from: number, block: number, length: number): Promise<void> {
    const { blockSize } = this.to;
    await this.tx.copy(from * blockSize, block * blockSize, length * blockSize);
    for (const [old, bytes] of this.state.pending?.blocks ?? [])
      if (old >= from && old < from + length) await this.tx.write((block + old - from) * blockSize, bytes);
  }

  /** Carries in what an inode has past the new end. */
  async #carry(number: number): Promise<void> {
    const { state, to } = this;
    const before = state.inodes.get(number)!;
    if (number === RESIZE_INODE) return;
    const map = mapOf(state, number);
    const renumbered = this.#numbers.has(number);
    const outside = map.extents.some((e) => e.block + e.length > to.blockCount);
    const inner = map.inner.some((b) => b >= to.blockCount);
    const attributes = attributeBlockOf(before);
    const far = attributes >= to.blockCount && attributes < state.g.blockCount;
    if (!renumbered && !outside && !inner && !far) return;
    const bytes = before.slice();
    const own = this.#numberOf(number);
    const extents = outside ? await this.#carryExtents(number, map.extents) : map.extents;
    if (far) await this.#carryAttributes(attributes, bytes);
    const moved = { extents, inner: map.inner };
    if (outside || inner || (renumbered && map.inner.length > 0)) await this.#rebuild(own, bytes, moved);
    if (number === state.g.super.orphanFileInode && outside)
      await sealOrphans(this.tx, to, inodeSeed(own, bytes, to), extents);
    this.#moved.set(number, { number: own, bytes, map: moved });
  }

  async #carryExtents(number: number, extents: readonly Extent[]): Promise<Extent[]> {
    const { to } = this;
    const out: Extent[] = [];
    for (const extent of extents) {
      const inside = Math.max(0, Math.min(extent.length, to.blockCount - extent.block));
      if (inside > 0) out.push({ ...extent, length: inside });
      // Of bad blocks those that are no more need not be kept.
      if (inside === extent.length || number === BAD_BLOCKS) continue;
      let done = inside;
      for (const { start, length } of this.#draft.take(extent.length - inside)) {
        if (!extent.unwritten) await this.#copy(extent.block + done, start, length);
        out.push({ ...extent, logical: extent.logical + done, block: start, length });
        done += length;
      }
    }
    return out;
  }

  /** A block of attributes is carried once, however many inodes have it. */
  async #carryAttributes(block: number, bytes: Uint8Array): Promise<void> {
    const { state, to } = this;
    const known = this.#attributes.get(block);
    const moved = known ?? {
      block: this.#draft.take(1)[0]!.start,
      bytes: await state.device.bytes(block * to.blockSize, to.blockSize),
    };
    this.#attributes.set(block, moved);
    INODE.encode({ attributesLow: moved.block % 2 ** 32, attributesHigh: Math.floor(moved.block / 2 ** 32) }, bytes);
  }

  /** Builds an inode's tree or map anew: into the blocks that it had, as far as they stay, and then into free ones. */
  async #rebuild(number: number, bytes: Uint8Array, { extents, inner }: BlockMap): Promise<void> {
    const { to, tx } = this;
    const own = inner.filter((block) => block < to.blockCount);
    const kept = new Set(own);
    const take = (): number => own.shift() ?? this.#draft.take(1)[0]!.start;
    const { root, nodes } = buildMap(
      extents,
      has(flagsOf(bytes), FLAG.extents),
      to,
      inodeSeed(number, bytes, to),
      take,
    );
    for (const { block, bytes: node } of nodes) {
      if (kept.has(block)) await tx.write(block * to.blockSize, node);
      else await tx.writeFree(block * to.blockSize, node);
    }
    for (const block of own) this.#freed.push({ start: block, length: 1 });
    INODE.encode({ map: root }, bytes);
    const attributes = attributeBlockOf(bytes) === 0 ? 0 : 1;
    setBlocks(
      bytes,
      extents.reduce((sum, e) => sum + e.length, nodes.length + attributes),
      to,
    );
  }

  async #refer(): Promise<void> {
    const { state, to, tx } = this;
    if (this.#numbers.size === 0) return;
    const changed = (number: number): Moved => this.#changed(number);
    const first = await new References(state, to, tx, this.#numbers, changed, this.#attributes).follow();
    if (first !== 0) this.#fields.lastOrphan = first;
  }

  #changed(number: number): Moved {
    const known = this.#moved.get(number);
    if (known) return known;
    const bytes = this.state.inodes.get(number)!.slice();
    const made = { number: this.#numberOf(number), bytes, map: mapOf(this.state, number) };
    this.#moved.set(number, made);
    return made;
  }

  async #writeInodes(): Promise<void> {
    const { to, tx, state } = this;
    for (const [number, { number: own, bytes }] of this.#moved) {
      this.#draft.draftInode(own, bytes);
      if (number === state.g.super.journalInode) this.#fields.journalBlocks = journalBackup(bytes);
    }
    for (const { block, bytes } of this.#attributes.values()) {
      sealAttributes(bytes, block, to);
      await tx.write(block * to.blockSize, bytes);
    }
  }

  /** The blocks that are kept for descriptors, and the list of them. */
  async #writeKept(): Promise<void> {
    const { state, to, tx } = this;
    const had = has(state.g.super.compat, COMPAT.resizeInode);
    const inode = state.inodes.get(RESIZE_INODE);
    if (!had || !inode) return;
    const [list] = mapOf(state, RESIZE_INODE).inner;
    const inside = list !== undefined && list < to.blockCount ? list : undefined;
    const block = inside ?? (has(to.super.compat, COMPAT.resizeInode) ? this.#draft.take(1)[0]!.start : undefined);
    await writeResizeInode(this.#draft, { inode, block }, (offset, bytes) => tx.write(offset, bytes));
  }
}
