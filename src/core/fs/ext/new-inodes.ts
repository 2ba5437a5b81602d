/** The inodes of what is added to a volume: whose they are, their attributes, and where their content is. */
import { fillFree, lengthOf } from '../fill';
import type { Run } from '../free-space';
import type { NewContent, NewFileFacts, Transaction } from '../port';
import { sealAttributes } from './attributes';
import type { BlockMap, Extent } from './block-map';
import { buildMap } from './build-map';
import type { Draft } from './draft';
import {
  attributeBlockOf,
  FLAG,
  flagsFor,
  flagsOf,
  INODE,
  inodeSeed,
  setBlocks,
  setExtraSize,
  setTimes,
  typeOf,
  TYPE,
} from './inode';
import { stretchesOf } from './holes';
import { extentsOf } from './make';
import { attributeBlock, putInside, storedAttributes } from './new-attributes';
import { has, INCOMPAT, type Geometry } from './superblock';

const LARGE = 2 ** 31;

/** An inode that is there already by its own bytes. */
export interface AdoptedInode {
  readonly inode: Uint8Array;
  /** What of it goes over where its folder is one that is there. */
  readonly facts: NewFileFacts;
  /** The group in which it gets its number, or the next one that has any. */
  readonly near: number;
}

export class NewInodes {
  /** Where the blocks of inodes are that were given any here. */
  readonly maps = new Map<number, BlockMap>();
  /** Whether a file is so large that the volume has to say so. */
  large = false;

  constructor(
    private readonly g: Geometry,
    private readonly draft: Draft,
    private readonly tx: Transaction,
  ) {}

  /** Told of the size of every file. */
  holds(size: number): void {
    if (size >= LARGE) this.large = true;
  }

  own(inode: Uint8Array, { mode, user, group }: NonNullable<NewFileFacts['owner']>): void {
    INODE.encode(
      {
        mode: typeOf(inode) | (mode & 0xfff),
        uidLow: user & 0xffff,
        uidHigh: user >>> 16,
        gidLow: group & 0xffff,
        gidHigh: group >>> 16,
      },
      inode,
    );
  }

  async make(number: number, type: number, facts: NewFileFacts, mode: number): Promise<Uint8Array> {
    const { g } = this;
    const inode = new Uint8Array(g.inodeSize);
    const extents = has(g.super.incompat, INCOMPAT.extents) && (type === TYPE.file || type === TYPE.folder);
    setExtraSize(inode, Math.min(32, g.inodeSize - 128));
    INODE.encode({ mode: type | mode, flags: flagsFor(facts.attributes) | (extents ? FLAG.extents : 0) }, inode);
    if (facts.owner) this.own(inode, facts.owner);
    setTimes(inode, facts.times ?? {}, facts.changed);
    if (extents) this.setMap(number, inode, []);
    const stored = storedAttributes(facts.extended ?? []);
    if (!putInside(inode, stored)) {
      const bytes = attributeBlock(stored, g.blockSize);
      const block = this.draft.take(1)[0]!.start;
      sealAttributes(bytes, block, g);
      await this.tx.writeFree(block * g.blockSize, bytes);
      INODE.encode({ attributesLow: block % 2 ** 32, attributesHigh: Math.floor(block / 2 ** 32) }, inode);
      setBlocks(inode, 1, g);
    }
    return inode;
  }

  special(inode: Uint8Array, device: Uint8Array): void {
    const map = new Uint8Array(60);
    map.set(device.subarray(0, 8));
    INODE.encode({ map }, inode);
  }

  shortLink(inode: Uint8Array, path: Uint8Array): void {
    const map = new Uint8Array(60);
    map.set(path);
    INODE.encode({ map, sizeLow: path.length, flags: flagsOf(inode) & ~FLAG.extents }, inode);
  }

  async content(number: number, inode: Uint8Array, content: NewContent, facts: NewFileFacts): Promise<void> {
    const { g } = this;
    const size = lengthOf(content);
    this.holds(size);
    const whole = { logical: 0, blocks: Math.ceil(size / g.blockSize), content };
    const stretches = content.kind === 'from' ? await stretchesOf(content, g.blockSize) : [whole];
    const extents: Extent[] = [];
    for (const { logical, blocks, content: part } of stretches) {
      const runs = this.#room(blocks, facts);
      const rooms = runs.map((r) => ({ offset: r.start * g.blockSize, length: r.length * g.blockSize }));
      await fillFree(this.tx, rooms, part);
      for (const extent of extentsOf(runs)) extents.push({ ...extent, logical: logical + extent.logical });
    }
    if (typeOf(inode) === TYPE.link && has(g.super.incompat, INCOMPAT.extents))
      INODE.encode({ flags: flagsOf(inode) | FLAG.extents }, inode);
    INODE.encode({ sizeLow: size % 2 ** 32, sizeHigh: Math.floor(size / 2 ** 32) }, inode);
    for (const { block, bytes } of this.setMap(number, inode, extents))
      await this.tx.writeFree(block * g.blockSize, bytes);
  }

  #room(count: number, { placement }: NewFileFacts): Run[] {
    const draft = this.draft;
    if (placement?.near !== undefined) draft.seek(placement.near);
    const pieces = Math.max(1, Math.min(placement?.fragments ?? 1, count));
    const each = Math.ceil(count / pieces);
    const runs: { start: number; length: number }[] = [];
    for (let left = count; left > 0;) {
      for (const run of draft.take(Math.min(each, left))) {
        left -= run.length;
        const last = runs.at(-1);
        if (last && last.start + last.length === run.start) last.length += run.length;
        else runs.push({ ...run });
      }
      const end = runs.at(-1)!.start + runs.at(-1)!.length;
      if (pieces > 1) draft.seekBlock(end + each);
    }
    return runs;
  }

  /** Says where an inode's blocks are. @returns the blocks of its tree, which are to be written */
  setMap(number: number, inode: Uint8Array, extents: readonly Extent[]) {
    const { g } = this;
    const asExtents = has(flagsOf(inode), FLAG.extents);
    const seed = inodeSeed(number, inode, g);
    const { root, nodes } = buildMap(extents, asExtents, g, seed, () => this.draft.take(1)[0]!.start);
    INODE.encode({ map: root }, inode);
    this.maps.set(number, { extents, inner: nodes.map((n) => n.block) });
    const own = attributeBlockOf(inode) === 0 ? 0 : 1;
    setBlocks(
      inode,
      extents.reduce((sum, e) => sum + e.length, nodes.length + own),
      g,
    );
    return nodes;
  }
}
