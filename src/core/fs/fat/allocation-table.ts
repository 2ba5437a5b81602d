/**
 * The file allocation table in memory: one entry a cluster, 12, 16 or 32 bits wide.
 *
 * FATGEN 1.03 “FAT Data Structure”: entry 0 carries the medium byte, entry 1 the end mark and the two state bits;
 * the upper four bits of a 32-bit entry are reserved and keep what they held.
 */
import { entryBits, type FatKind } from './boot-sector';

/** What an entry says, whatever its width. */
export const FREE = 0;
/** The mark of a cluster that must not be used, as {@link AllocationTable.get} returns it. */
export const BAD = 0x0ffffff7;
/** The mark of the last cluster of a chain, as {@link AllocationTable.get} returns it. */
export const END = 0x0fffffff;

/** The part of a 32-bit entry that counts, as the little-endian words of every machine this runs on. */
const LOW_28_BITS = 0x0fffffff;

/** State bits of entry 1: set when the volume was put away properly, and when no disk error was met. */
export interface TableState {
  readonly clean: boolean;
  readonly noErrors: boolean;
}

/** Entries of one table. It owns `bytes`; reads and writes are by cluster number. */
export class AllocationTable {
  readonly #bits: number;
  readonly #view: DataView;
  readonly #words: Uint32Array | undefined;

  constructor(
    readonly kind: FatKind,
    readonly bytes: Uint8Array,
  ) {
    this.#bits = entryBits(kind);
    this.#view = new DataView(bytes.buffer, bytes.byteOffset, bytes.length);
    const aligned = this.#bits === 32 && bytes.byteOffset % 4 === 0;
    this.#words = aligned ? new Uint32Array(bytes.buffer, bytes.byteOffset, bytes.length >>> 2) : undefined;
  }

  /** Entries the bytes have room for, the two reserved ones included. */
  get length(): number {
    return Math.floor((this.bytes.length * 8) / this.#bits);
  }

  /** The entry: {@link FREE}, a cluster number, {@link BAD} or {@link END}, marks widened to 28 bits. */
  get(cluster: number): number {
    if (this.#bits === 32) return widen32(this.#view.getUint32(cluster * 4, true) & 0x0fffffff);
    if (this.#bits === 16) {
      const value = this.#view.getUint16(cluster * 2, true);
      return value >= 0xfff7 ? (value === 0xfff7 ? BAD : END) : value;
    }
    const value = this.#get12(cluster);
    return value >= 0xff7 ? (value === 0xff7 ? BAD : END) : value;
  }

  set(cluster: number, value: number): void {
    if (this.#bits === 32) {
      const kept = this.#view.getUint32(cluster * 4, true) & 0xf0000000;
      this.#view.setUint32(cluster * 4, (kept | value) >>> 0, true);
    } else if (this.#bits === 16) this.#view.setUint16(cluster * 2, value & 0xffff, true);
    else this.#set12(cluster, value & 0xfff);
  }

  #get12(cluster: number): number {
    const at = cluster + (cluster >> 1);
    const pair = this.bytes[at]! | (this.bytes[at + 1]! << 8);
    return cluster & 1 ? pair >> 4 : pair & 0xfff;
  }

  #set12(cluster: number, value: number): void {
    const at = cluster + (cluster >> 1);
    if (cluster & 1) {
      this.bytes[at] = (this.bytes[at]! & 0x0f) | ((value & 0x0f) << 4);
      this.bytes[at + 1] = value >> 4;
    } else {
      this.bytes[at] = value & 0xff;
      this.bytes[at + 1] = (this.bytes[at + 1]! & 0xf0) | (value >> 8);
    }
  }

  /** The first entry in [from, to) that is not free, or `to`. Long free stretches are gone over in a tight loop. */
  nextInUse(from: number, to: number): number {
    let cluster = from;
    const words = this.#words;
    if (words) {
      if ((words[cluster]! & LOW_28_BITS) !== 0) return Math.min(cluster, to);
      for (const most = to - 4; cluster <= most; cluster += 4) {
        const four = words[cluster]! | words[cluster + 1]! | words[cluster + 2]! | words[cluster + 3]!;
        if ((four & LOW_28_BITS) !== 0) break;
      }
      while (cluster < to && (words[cluster]! & LOW_28_BITS) === 0) cluster += 1;
      return cluster;
    }
    while (cluster < to && this.get(cluster) === FREE) cluster += 1;
    return cluster;
  }

  /** The state bits; FAT12 has none and counts as clean. */
  get state(): TableState {
    if (this.#bits === 12) return { clean: true, noErrors: true };
    const value = this.#bits === 32 ? this.#view.getUint32(4, true) : this.#view.getUint16(2, true);
    const [clean, noErrors] = this.#bits === 32 ? [0x08000000, 0x04000000] : [0x8000, 0x4000];
    return { clean: (value & clean) !== 0, noErrors: (value & noErrors) !== 0 };
  }

  /** Clears the state bit of a clean end. */
  markUnclean(): void {
    if (this.#bits === 32) this.#view.setUint32(4, this.#view.getUint32(4, true) & ~0x08000000, true);
    else if (this.#bits === 16) this.#view.setUint16(2, this.#view.getUint16(2, true) & ~0x8000, true);
  }

  /** The same entries in a buffer of `byteLength` bytes of its own, cut or padded with free entries. */
  resized(byteLength: number): AllocationTable {
    const bytes = new Uint8Array(byteLength);
    bytes.set(this.bytes.subarray(0, Math.min(byteLength, this.bytes.length)));
    return new AllocationTable(this.kind, bytes);
  }
}

function widen32(value: number): number {
  return value > BAD ? END : value;
}

/** Whether an entry points to another cluster of a volume with `clusterCount` clusters. */
export function isLink(value: number, clusterCount: number): boolean {
  return value >= 2 && value < clusterCount + 2;
}
