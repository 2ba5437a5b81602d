/** How small and how large an ext volume can be made, and what holds it there. */
import { formatSize, spaced } from '@/core/size';
import { countIn, runsOf } from '../bitmap';
import type { FloorReason, SizeLimits } from '../port';
import { bitOf, clusterCount, inodeTableBlocks, tablesOf } from './bitmaps';
import { ENTRY_BYTES } from './block-map';
import { BAD_BLOCKS } from './carry-inodes';
import { fixedBecause } from './changeable';
import { FLAG, flagsOf, RESIZE_INODE } from './inode';
import { ownershipOf } from './ownership';
import { geometryFor } from './sizes';
import { mapOf, type ExtState } from './state';
import { COMPAT, has, INCOMPAT, type Geometry } from './superblock';

const MOST_BLOCKS = 2 ** 32 - 1;
const MOST_WIDE = 2 ** 44;

export async function extLimits(state: ExtState): Promise<SizeLimits> {
  const { g } = state;
  const size = g.blockCount * g.blockSize;
  const why = fixedBecause(g);
  if (why) return { floor: { bytes: size, reason: why, holds: [] }, ceiling: { bytes: size, reason: why } };
  const most = has(g.super.incompat, INCOMPAT.wide) ? MOST_WIDE : MOST_BLOCKS;
  const groups = Math.floor((2 ** 32 - 1) / g.inodesPerGroup);
  const blocks = Math.min(most, groups * g.blocksPerGroup);
  const ceiling = {
    bytes: blocks * g.blockSize,
    reason: `its numbers of blocks and inodes end at ${formatSize(blocks * g.blockSize)}`,
  };
  return { floor: new Floor(state).find(), ceiling };
}

/** What must fit below a new end, told for any end without going over all files each time. */
class Floor {
  readonly #starts: Float64Array;
  readonly #lengths: Float64Array;
  /** The number of the inode that each stretch is of, in the order in which they were met. */
  readonly #of: Float64Array;
  readonly #asTrees: boolean;
  readonly #used: number;
  readonly #lastStray: number;
  readonly #stray: number;
  readonly #files: number;
  /** Blocks of attributes. */
  readonly #attributes: readonly number[];

  constructor(private readonly state: ExtState) {
    const { inodes, g, bits } = state;
    const { strays, files, shared } = ownershipOf(state);
    this.#attributes = [...shared.keys()];
    const starts: number[] = [];
    const lengths: number[] = [];
    const of: number[] = [];
    let used = 0;
    let last = 0;
    let trees = false;
    for (const number of inodes.numbers()) {
      used += 1;
      last = number;
      if (number === RESIZE_INODE || number === BAD_BLOCKS) continue;
      const { extents, inner } = mapOf(state, number);
      if (has(flagsOf(inodes.get(number)!), FLAG.extents)) trees = true;
      for (const { block, length } of extents) {
        starts.push(block);
        lengths.push(length);
        of.push(number);
      }
      for (const block of inner) {
        starts.push(block);
        lengths.push(1);
        of.push(number);
      }
    }
    [this.#starts, this.#lengths, this.#of] = [starts, lengths, of].map((list) => Float64Array.from(list)) as [
      Float64Array,
      Float64Array,
      Float64Array,
    ];
    this.#asTrees = trees;
    // Where numbers must stay, those up to the last one are needed.
    this.#used = has(g.super.compat, COMPAT.stableInodes) ? last : used;
    const behind = strays.at(-1);
    this.#lastStray = behind ? g.firstDataBlock + behind.start + behind.length : 0;
    this.#stray = strays.reduce((sum, r) => sum + r.length, 0);
    this.#files = countIn(files, 0, Math.min(bits.blocks.length * 8, clusterCount(g)));
  }

  find(): SizeLimits['floor'] {
    const { g, groups } = this.state;
    let [low, high] = [1, g.blockCount];
    const fits = (blocks: number): boolean => this.#fits(geometryFor(g, groups, blocks * g.blockSize));
    while (low < high) {
      const middle = Math.floor((low + high) / 2);
      if (fits(middle)) high = middle;
      else low = middle + 1;
    }
    const to = geometryFor(g, groups, low * g.blockSize);
    const bytes = this.#fits(to) ? to.blockCount * g.blockSize : g.blockCount * g.blockSize;
    return { bytes, reason: this.#reason(to), holds: this.#holds(to) };
  }

  #reason(to: Geometry): string {
    const { g } = this.state;
    if (this.#lastStray >= to.blockCount - 1)
      return 'blocks that belong to nobody lie up to there, and what is not known is not moved';
    if (this.#used > (to.groupCount - 1) * to.inodesPerGroup && to.groupCount > 1 && this.#files < to.blockCount / 2)
      return `${spaced(this.#used)} files and folders need as many inodes, of which each group has ${spaced(g.inodesPerGroup)}`;
    return `${formatSize(this.#files * g.blockSize)} is in use by files, and groups have structures of their own`;
  }

  #holds(to: Geometry): FloorReason[] {
    const { g } = this.state;
    const structures = to.groupCount * (2 + inodeTableBlocks(to));
    const holds: FloorReason[] = [
      { what: 'files, folders and the journal', bytes: this.#files * g.blockSize },
      { what: 'bitmaps and inode tables of its groups', bytes: structures * g.blockSize },
    ];
    const rest = to.blockCount - this.#files - structures - this.#stray;
    if (rest > 0)
      holds.push({ what: 'superblocks, descriptors, and room to carry things in', bytes: rest * g.blockSize });
    if (this.#stray > 0)
      holds.push({
        what: `${spaced(this.#stray)} blocks that belong to nobody, which stay where they are`,
        bytes: this.#stray * g.blockSize,
      });
    return holds;
  }

  /** Whether everything that lies past an end has room before it, with what its maps may need more. */
  #fits(to: Geometry): boolean {
    const { g, bits, groups } = this.state;
    const end = to.blockCount;
    if (end <= g.firstDataBlock || end < this.#lastStray || this.#used > to.groupCount * to.inodesPerGroup)
      return false;
    const free = runsOf(bits.blocks, 0, bitOf(g, end - 1) + 1, false);
    let moving = 0;
    let pieces = 0;
    let inodes = 0;
    let last = -1;
    for (let i = 0; i < this.#starts.length; i++) {
      const stop = this.#starts[i]! + this.#lengths[i]!;
      if (stop <= end) continue;
      moving += Math.min(this.#lengths[i]!, stop - end);
      pieces += 1;
      if (this.#of[i] !== last) inodes += 1;
      last = this.#of[i]!;
    }
    for (let n = 0; n < to.groupCount; n++)
      for (const { block, length } of tablesOf(groups[n]!, g)) {
        if (block + length <= end) continue;
        moving += length;
        if (length > 1 && !free.some((run) => run.length >= length)) return false;
      }
    for (const block of this.#attributes) if (block >= end) moving += 1;
    const split = pieces + free.length;
    const perNode = Math.floor((g.blockSize - ENTRY_BYTES - 4) / ENTRY_BYTES);
    const nodes =
      this.#asTrees && moving > 0 ? Math.ceil((2 * split) / perNode) + Math.min(inodes, Math.floor(split / 5)) + 1 : 0;
    const room = free.reduce((sum, run) => sum + run.length, 0);
    return moving + nodes + 1 <= room || moving === 0;
  }
}
