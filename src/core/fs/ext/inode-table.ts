/** All inodes that are in use, as they stand on the volume: read by groups, as far as a group's table is in use. */
import type { BlockDevice } from '@/core/device';
import { isSet } from '../bitmap';
import { GROUP_FLAG, type Group } from './groups';
import { typeOf } from './inode';
import type { Geometry } from './superblock';

/** How many inodes of a group's table may be in use. */
export function inodesBegun(group: Group, g: Geometry): number {
  if (!g.checksums && !g.groupChecksums) return g.inodesPerGroup;
  if (group.flags & GROUP_FLAG.inodesUnused) return 0;
  return Math.max(0, g.inodesPerGroup - group.unusedInodes);
}

export class InodeTable {
  readonly #parts: readonly Uint8Array[];

  private constructor(
    private readonly g: Geometry,
    /** A bit for every inode, the first for number 1. */
    readonly bits: Uint8Array,
    parts: readonly Uint8Array[],
  ) {
    this.#parts = parts;
  }

  /** @param bits which inodes are in use */
  static async read(device: BlockDevice, g: Geometry, groups: readonly Group[], bits: Uint8Array): Promise<InodeTable> {
    const parts: Uint8Array[] = [];
    for (const [n, group] of groups.entries()) {
      let last = inodesBegun(group, g);
      while (last > 0 && !isSet(bits, n * g.inodesPerGroup + last - 1)) last -= 1;
      parts.push(await device.bytes(group.inodeTable * g.blockSize, last * g.inodeSize));
    }
    return new InodeTable(g, bits, parts);
  }

  isUsed(number: number): boolean {
    return number >= 1 && number <= this.g.super.inodeCount && isSet(this.bits, number - 1);
  }

  /** An inode as it stands, in a view of what was read; undefined for one that is not in use. */
  get(number: number): Uint8Array | undefined {
    if (!this.isUsed(number)) return undefined;
    const { inodesPerGroup, inodeSize } = this.g;
    const group = Math.floor((number - 1) / inodesPerGroup);
    const at = ((number - 1) % inodesPerGroup) * inodeSize;
    const part = this.#parts[group]!;
    return at + inodeSize <= part.length ? part.subarray(at, at + inodeSize) : new Uint8Array(inodeSize);
  }

  /** What the mode of an inode says it is; undefined for one that is not in use. */
  typeAt(number: number): number | undefined {
    if (!this.isUsed(number)) return undefined;
    const { inodesPerGroup, inodeSize } = this.g;
    const group = Math.floor((number - 1) / inodesPerGroup);
    const at = (number - 1 - group * inodesPerGroup) * inodeSize;
    const part = this.#parts[group]!;
    return at + inodeSize <= part.length ? typeOf(part, at) : 0;
  }

  /** Numbers of all inodes in use, ascending. */
  *numbers(): Generator<number> {
    for (let byte = 0; byte < this.bits.length; byte++) {
      const bits = this.bits[byte]!;
      if (bits === 0) continue;
      for (let bit = 0; bit < 8; bit++) {
        const number = byte * 8 + bit + 1;
        if (bits & (1 << bit) && number <= this.g.super.inodeCount) yield number;
      }
    }
  }
}

/** Where on the volume an inode stands, in bytes. */
export function inodeAt(number: number, groups: readonly Group[], g: Geometry): number {
  const group = groups[Math.floor((number - 1) / g.inodesPerGroup)]!;
  return group.inodeTable * g.blockSize + ((number - 1) % g.inodesPerGroup) * g.inodeSize;
}
