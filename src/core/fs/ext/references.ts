/**
 * Everything that refers to inodes by numbers that they no longer have: names in folders, and what folders say of
 * themselves; values of attributes that have inodes; and the chain of those that are to be taken away.
 */
import type { Transaction } from '../port';
import { attributesInside, inlineOf, patchValueInodes, putInline } from './attributes';
import type { BlockMap } from './block-map';
import { blockKindOf, entriesIn, sealBlock } from './folder';
import { attributeBlockOf, FLAG, flagsOf, INODE, inodeSeed, ROOT_INODE, sizeOf, TYPE, viewOf } from './inode';
import type { ExtState } from './state';
import { has, INCOMPAT, type Geometry } from './superblock';

/** What an inode becomes. */
export interface Moved {
  readonly number: number;
  readonly bytes: Uint8Array;
  /** Where its blocks are then. */
  readonly map: BlockMap;
}

/** A block of attributes with where it comes to. */
export interface MovedAttributes {
  readonly block: number;
  readonly bytes: Uint8Array;
}

export class References {
  constructor(
    private readonly state: ExtState,
    private readonly to: Geometry,
    private readonly tx: Transaction,
    /** New numbers by old ones. */
    private readonly numbers: ReadonlyMap<number, number>,
    /** An inode as it becomes, to be changed. */
    private readonly changed: (number: number) => Moved,
    private readonly attributes: Map<number, MovedAttributes>,
  ) {}

  #numberOf(number: number): number {
    return this.numbers.get(number) ?? number;
  }

  /** @returns the first inode that is to be taken away, 0 for none */
  async follow(): Promise<number> {
    const { state } = this;
    const touched = new Set<number>();
    for (let n = 0; n < state.names.length; n++) {
      const inode = state.names.inode(n);
      const above = state.names.above(n, ROOT_INODE);
      if (this.numbers.has(inode)) touched.add(above);
      if (state.inodes.typeAt(inode) === TYPE.folder && (this.numbers.has(inode) || this.numbers.has(above)))
        touched.add(inode);
    }
    for (const number of touched) await this.#patchFolder(number);
    for (const number of state.inodes.numbers()) await this.#patchAttributes(number);
    return this.#patchOrphans();
  }

  async #patchFolder(number: number): Promise<void> {
    const { to, tx } = this;
    const { number: own, bytes, map } = this.changed(number);
    const patch = (content: Uint8Array, from: number, end: number): boolean => {
      let any = false;
      for (const { inode, at } of entriesIn(content, from, end).entries) {
        const now = this.numbers.get(inode);
        if (now === undefined) continue;
        viewOf(content).setUint32(at, now, true);
        any = true;
      }
      return any;
    };
    if (has(flagsOf(bytes), FLAG.inlineData)) {
      const content = inlineOf(bytes).slice();
      const above = viewOf(content).getUint32(0, true);
      viewOf(content).setUint32(0, this.#numberOf(above), true);
      patch(content, 4, Math.min(60, content.length));
      if (content.length > 60) patch(content, 60, content.length);
      putInline(bytes, content);
      return;
    }
    const indexed = has(flagsOf(bytes), FLAG.index);
    const seed = inodeSeed(own, bytes, to);
    const sealed = to.checksums && own !== number;
    for (const { logical, block, length } of map.extents)
      for (let i = 0; i < length; i++) {
        if ((logical + i) * to.blockSize >= sizeOf(bytes)) break;
        const content = new Uint8Array(to.blockSize);
        const offset = (block + i) * to.blockSize;
        await tx.read(offset, content);
        const first = logical + i === 0;
        const kind = blockKindOf(content, first, indexed);
        const any = kind === 'entries' || first ? patch(content, 0, content.length) : false;
        if (!any && !sealed) continue;
        if (to.checksums) sealBlock(content, kind, first, seed);
        await tx.write(offset, content);
      }
  }

  /** Values of attributes that have inodes of their own. */
  async #patchAttributes(number: number): Promise<void> {
    const { state, to } = this;
    if (!has(state.g.super.incompat, INCOMPAT.attributeInodes)) return;
    const before = state.inodes.get(number)!;
    if (attributesInside(before).some((a) => this.numbers.has(a.inode)))
      patchValueInodes(this.changed(number).bytes, 'inode', this.numbers);
    const block = attributeBlockOf(before);
    if (block === 0 || block >= state.g.blockCount) return;
    const known = this.attributes.get(block);
    const bytes = known?.bytes ?? (await state.device.bytes(block * to.blockSize, to.blockSize));
    if (patchValueInodes(bytes, 'block', this.numbers) && !known) this.attributes.set(block, { block, bytes });
  }

  /** Inodes that are to be taken away at the next start are chained by their numbers. */
  async #patchOrphans(): Promise<number> {
    const { state } = this;
    let number = state.g.super.lastOrphan;
    if (number === 0) return 0;
    const first = this.#numberOf(number);
    for (let steps = 0; number !== 0 && steps < state.g.super.inodeCount; steps++) {
      if (!state.inodes.isUsed(number)) return first;
      const { bytes } = this.changed(number);
      number = INODE.decode(bytes).deleted;
      INODE.encode({ deleted: this.#numberOf(number) }, bytes);
    }
    return first;
  }
}
