/**
 * Carries off what inodes have where nothing may stay: past a new end, or on blocks that go out of use. Trees, maps and
 * whatever says where blocks are is written anew.
 */
import type { Run } from '../free-space';
import type { Transaction } from '../port';
import { Retired } from '../retired';
import { sealAttributes } from './attributes';
import type { BlockMap, Extent } from './block-map';
import { buildMap } from './build-map';
import type { Draft } from './draft';
import { attributeBlockOf, FLAG, flagsOf, INODE, inodeSeed, RESIZE_INODE, setBlocks } from './inode';
import { journalBackup } from './journal-backup';
import { sealOrphans } from './orphan-file';
import { References, type Moved, type MovedAttributes } from './references';
import { mapOf, type ExtState } from './state';
import { has, type Geometry, type SuperFields } from './superblock';

/** Blocks that are bad belong to this one. */
export const BAD_BLOCKS = 1;

/** What inodes are carried from and to. */
interface Carrying {
  readonly state: ExtState;
  readonly draft: Draft;
  readonly tx: Transaction;
  readonly retired: Retired;
  /** New numbers by old ones, of inodes that get others. */
  readonly numbers: ReadonlyMap<number, number>;
}

export class InodeCarrier {
  /** Blocks that nobody needs any more once all is done. */
  readonly freed: Run[] = [];
  /** What the superblock has to say of it. */
  readonly fields: Partial<SuperFields> = {};
  readonly #moved = new Map<number, Moved>();
  readonly #attributes = new Map<number, MovedAttributes>();
  private readonly to: Geometry;

  constructor(private readonly of: Carrying) {
    this.to = of.draft.g;
  }

  /** Copies blocks, with what the journal has of them yet. */
  async copy(from: number, block: number, length: number): Promise<void> {
    const { blockSize } = this.to;
    await this.of.tx.copy(from * blockSize, block * blockSize, length * blockSize);
    for (const [old, bytes] of this.of.state.pending?.blocks ?? [])
      if (old >= from && old < from + length) await this.of.tx.write((block + old - from) * blockSize, bytes);
  }

  /** Whether a block, or a run of them, can't stay whole. */
  #leaves(block: number, length: number): boolean {
    return block + length > this.to.blockCount || this.of.retired.meets(block, length);
  }

  /** Carries off what an inode has where it can't stay. */
  async carry(number: number): Promise<void> {
    const { to } = this;
    const { state } = this.of;
    const before = state.inodes.get(number)!;
    if (number === RESIZE_INODE) return;
    const map = mapOf(state, number);
    const renumbered = this.of.numbers.has(number);
    const outside = map.extents.some((e) => this.#leaves(e.block, e.length));
    const inner = map.inner.some((b) => this.#leaves(b, 1));
    const attributes = attributeBlockOf(before);
    const far = attributes !== 0 && attributes < state.g.blockCount && this.#leaves(attributes, 1);
    if (!renumbered && !outside && !inner && !far) return;
    const bytes = before.slice();
    const own = this.#numberOf(number);
    const extents = outside ? await this.#carryExtents(number, map.extents) : map.extents;
    if (far) await this.#carryAttributes(attributes, bytes);
    const moved = { extents, inner: map.inner };
    if (outside || inner || (renumbered && map.inner.length > 0)) await this.rebuild(own, bytes, moved);
    if (number === state.g.super.orphanFileInode && outside)
      await sealOrphans(this.of.tx, to, inodeSeed(own, bytes, to), extents);
    this.#moved.set(number, { number: own, bytes, map: moved });
  }

  /** An extent, cut where it stays and where it doesn't. Of bad blocks those that are no more need not be kept. */
  *#pieces({ block, length }: Extent, number: number): Generator<Run & { lost: boolean }> {
    const inside = Math.max(0, Math.min(length, this.to.blockCount - block));
    const past = { start: block + inside, length: length - inside, lost: true };
    if (number === BAD_BLOCKS) yield* Retired.none.pieces(block, inside);
    else yield* this.of.retired.pieces(block, inside);
    if (past.length > 0 && number !== BAD_BLOCKS) yield past;
  }

  async #carryPiece(piece: Extent): Promise<Extent[]> {
    const out: Extent[] = [];
    let done = 0;
    for (const { start, length } of this.of.draft.take(piece.length)) {
      if (!piece.unwritten) await this.copy(piece.block + done, start, length);
      out.push({ ...piece, logical: piece.logical + done, block: start, length });
      done += length;
    }
    return out;
  }

  async #carryExtents(number: number, extents: readonly Extent[]): Promise<Extent[]> {
    const out: Extent[] = [];
    for (const extent of extents) {
      for (const { start, length, lost } of this.#pieces(extent, number)) {
        const logical = extent.logical + start - extent.block;
        if (!lost) out.push({ ...extent, logical, block: start, length });
        else out.push(...(await this.#carryPiece({ ...extent, logical, block: start, length })));
      }
    }
    return out;
  }

  /** A block of attributes is carried once, however many inodes have it. */
  async #carryAttributes(block: number, bytes: Uint8Array): Promise<void> {
    const { to } = this;
    const { state } = this.of;
    const known = this.#attributes.get(block);
    const moved = known ?? {
      block: this.of.draft.take(1)[0]!.start,
      bytes: await state.device.bytes(block * to.blockSize, to.blockSize),
    };
    this.#attributes.set(block, moved);
    INODE.encode({ attributesLow: moved.block % 2 ** 32, attributesHigh: Math.floor(moved.block / 2 ** 32) }, bytes);
  }

  /** Builds an inode's tree or map anew: into the blocks that it had, as far as they stay, and then into free ones. */
  async rebuild(number: number, bytes: Uint8Array, { extents, inner }: BlockMap): Promise<void> {
    const { to } = this;
    const { tx } = this.of;
    const own = inner.filter((block) => !this.#leaves(block, 1));
    const kept = new Set(own);
    const take = (): number => own.shift() ?? this.of.draft.take(1)[0]!.start;
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
    for (const block of own) this.freed.push({ start: block, length: 1 });
    INODE.encode({ map: root }, bytes);
    const attributes = attributeBlockOf(bytes) === 0 ? 0 : 1;
    setBlocks(
      bytes,
      extents.reduce((sum, e) => sum + e.length, nodes.length + attributes),
      to,
    );
  }

  /** Changes all that refers to inodes by numbers they no longer have. */
  async refer(): Promise<void> {
    const { to } = this;
    const { state, tx, numbers } = this.of;
    if (numbers.size === 0) return;
    const changed = (number: number): Moved => this.#changed(number);
    const first = await new References(state, to, tx, numbers, changed, this.#attributes).follow();
    if (first !== 0) this.fields.lastOrphan = first;
  }

  #changed(number: number): Moved {
    const known = this.#moved.get(number);
    if (known) return known;
    const bytes = this.of.state.inodes.get(number)!.slice();
    const made = { number: this.#numberOf(number), bytes, map: mapOf(this.of.state, number) };
    this.#moved.set(number, made);
    return made;
  }

  /** Hands over every inode and block of attributes as it is from now on. */
  async write(): Promise<void> {
    const { to } = this;
    const { tx, state } = this.of;
    for (const [number, { number: own, bytes }] of this.#moved) {
      this.of.draft.draftInode(own, bytes);
      if (number === state.g.super.journalInode) this.fields.journalBlocks = journalBackup(bytes);
    }
    for (const { block, bytes } of this.#attributes.values()) {
      sealAttributes(bytes, block, to);
      await tx.write(block * to.blockSize, bytes);
    }
  }

  #numberOf(number: number): number {
    return this.of.numbers.get(number) ?? number;
  }
}
