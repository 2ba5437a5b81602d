/**
 * Resizing an ext volume. Growing adds groups; shrinking carries in what lies past the new end, gives inodes of groups
 * that go new numbers, and changes everything that refers to either.
 *
 * What a group that goes has of its own is free only afterwards, so that nothing is written over what is still in use.
 */
import { CoreError } from '@/core/errors';
import type { Transaction } from '../port';
import { Retired } from '../retired';
import { inodeTableBlocks, markBlocks, tablesOf } from './bitmaps';
import { InodeCarrier } from './carry-inodes';
import { assertChangeable } from './changeable';
import { Draft } from './draft';
import { groupStart, headBlocks } from './groups';
import { RESIZE_INODE, typeOf, TYPE } from './inode';
import { beginTables, placeTables } from './new-tables';
import { writeResizeInode } from './resize-inode';
import { geometryFor, headsLost, sizeFields } from './sizes';
import { mapOf, type ExtState } from './state';
import { COMPAT, has, INCOMPAT, RO_COMPAT, type Geometry, type SuperFields } from './superblock';
import { settled, settleExt } from './superblock-edits';

/** Blocks behind the old end that belong to somebody else. */
interface Over {
  /** What they hold stays where it is, as long as nothing of this volume has to be there: they are in use from then on. */
  readonly kept: Retired;
  /** They are not free before all is durable. */
  readonly live: Retired;
}

/** Resizes to at most `size` bytes. The caller has checked limits and soundness. @throws CoreError `fs.full` */
export async function resizeExt(state: ExtState, size: number, tx: Transaction, over?: Over): Promise<void> {
  assertChangeable(state.g, 'be resized');
  await settleExt(state, tx);
  await new Resize(state, geometryFor(state.g, state.groups, size), tx, over).run();
}

class Resize {
  readonly #draft: Draft;
  readonly #numbers = new Map<number, number>();
  readonly #carrier: InodeCarrier;
  readonly #fields: Partial<SuperFields> = {};

  constructor(
    private readonly state: ExtState,
    private readonly to: Geometry,
    private readonly tx: Transaction,
    private readonly over?: Over,
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
    this.#carrier = new InodeCarrier({ state, draft: this.#draft, tx, retired: Retired.none, numbers: this.#numbers });
  }

  async run(): Promise<void> {
    const { state, to } = this;
    const draft = this.#draft;
    // What the last group has is of another length, and those behind it are new.
    for (let n = Math.min(state.g.groupCount, to.groupCount) - 1; n < to.groupCount; n++) draft.touch(n);
    draft.seekBlock(to.firstDataBlock);
    const fixed = this.over && draft.blocks.slice();
    for (const { start, length } of this.over?.kept.runs ?? [])
      if (start < to.blockCount) markBlocks(draft.blocks, to, start, Math.min(length, to.blockCount - start));
    if (to.groupCount > state.g.groupCount) await this.#addGroups(fixed);
    this.#dropHeads();
    this.#dropGroups();
    await this.#moveTables();
    this.#renumber();
    for (const number of state.inodes.numbers()) await this.#carrier.carry(number);
    await this.#carrier.refer();
    await this.#carrier.write();
    await this.#writeKept();
    for (const { start, length } of this.#carrier.freed) this.#free(start, length);
    const fields = settled(state, { ...sizeFields(to), ...this.#carrier.fields, ...this.#fields });
    await draft.flush(this.tx, fields, { copies: true });
  }

  /** Of blocks that are past the new end nothing is to be said. */
  #free(block: number, length: number): void {
    const inside = Math.min(length, this.to.blockCount - block);
    if (inside > 0) this.#draft.mark(block, inside, false);
  }

  async #addGroups(fixed: Uint8Array | undefined): Promise<void> {
    const { state, to, tx } = this;
    const draft = this.#draft;
    placeTables(draft, state.g.groupCount, fixed);
    await beginTables(to, draft.groups.slice(state.g.groupCount, to.groupCount), tx, { live: this.over?.live });
  }

  /** What is no longer kept for descriptors becomes free; what is head from now on was free, or is behind the old end. */
  #dropHeads(): void {
    const { state, to } = this;
    for (const { block, length } of headsLost(state.g, to)) this.#carrier.freed.push({ start: block, length });
    for (let n = 0; n < to.groupCount; n++) {
      const length = Math.min(headBlocks(to, n), to.blockCount - groupStart(to, n));
      markBlocks(this.#draft.blocks, to, groupStart(to, n), length);
    }
  }

  #dropGroups(): void {
    const { groups, g } = this.state;
    for (const group of groups.slice(this.to.groupCount))
      for (const { block, length } of tablesOf(group, g)) this.#carrier.freed.push({ start: block, length });
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
      this.#carrier.freed.push({ start: group.inodeTable, length });
      await this.#carrier.copy(group.inodeTable, block, length);
      group.inodeTable = block;
    }
    const { multiMountBlock, incompat } = to.super;
    if (!has(incompat, INCOMPAT.multiMount) || Number(multiMountBlock) < to.blockCount) return;
    const block = draft.take(1)[0]!.start;
    await this.#carrier.copy(Number(multiMountBlock), block, 1);
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
