/**
 * The index of a folder as a whole: a tree of blocks whose entries stand in the collation of file names.
 *
 * Linux-NTFS “NTFS Documentation”, chapters “$INDEX_ROOT” and “$INDEX_ALLOCATION”. Entries of inner nodes are entries
 * in their own right; each points to the block of those before it, and the one that ends a node to those behind.
 */
import { applyFixup } from './build-record';
import type { NtfsGeometry } from './boot-sector';
import { TYPE } from './record';

/** A name in a folder. */
export interface IndexedName {
  readonly reference: bigint;
  /** The file-name attribute's value. */
  readonly key: Uint8Array;
  readonly name: string;
  /** An 8.3 name that repeats a long one. */
  readonly dos: boolean;
}

export interface BuiltIndex {
  readonly root: Uint8Array;
  /** The blocks one after the other; empty when the root holds everything. */
  readonly blocks: Uint8Array;
  readonly bitmap: Uint8Array;
}

const BY_NAME = 1;
const ROOT_LIMIT = 360;
const HEADER = 24;
const CHILD = 1;
const LAST = 2;

const align8 = (n: number): number => Math.ceil(n / 8) * 8;

function plainEntry({ reference, key }: IndexedName): Uint8Array {
  const bytes = new Uint8Array(align8(16 + key.length));
  const view = new DataView(bytes.buffer);
  view.setBigUint64(0, reference, true);
  view.setUint16(8, bytes.length, true);
  view.setUint16(10, key.length, true);
  bytes.set(key, 16);
  return bytes;
}

/** The entry with a pointer to the block of those before it. */
function withChild(bytes: Uint8Array, vcn: number): Uint8Array {
  const out = new Uint8Array(bytes.length + 8);
  out.set(bytes);
  const view = new DataView(out.buffer);
  view.setUint16(8, out.length, true);
  view.setUint16(12, view.getUint16(12, true) | CHILD, true);
  view.setBigUint64(out.length - 8, BigInt(vcn), true);
  return out;
}

function endEntry(vcn: number | undefined): Uint8Array {
  const bytes = new Uint8Array(16);
  const view = new DataView(bytes.buffer);
  view.setUint16(8, 16, true);
  view.setUint16(12, LAST, true);
  return vcn === undefined ? bytes : withChild(bytes, vcn);
}

const total = (parts: readonly Uint8Array[]): number => parts.reduce((sum, p) => sum + p.length, 0);

/** Builds the index of a folder from its names. `fold` gives a name in capitals by the volume's case table. */
export function buildIndex(names: readonly IndexedName[], g: NtfsGeometry, fold: (name: string) => string): BuiltIndex {
  const sorted = names
    .map((n) => ({ n, folded: fold(n.name) }))
    .sort((a, b) => compare(a.folded, b.folded) || compare(a.n.name, b.n.name));
  return buildTree(
    sorted.map(({ n }) => plainEntry(n)),
    g,
    { type: TYPE.fileName, collation: BY_NAME },
  );
}

/** What an index is over, and in which order. */
export interface TreeShape {
  readonly type: number;
  readonly collation: number;
}

/** Builds an index from entries that stand in its order. */
export function buildTree(entries: readonly Uint8Array[], g: NtfsGeometry, shape: TreeShape): BuiltIndex {
  return new IndexBuilder(g, shape).build(entries);
}

/** By UTF-16 units, the shorter first: what comparing strings does already. */
const compare = (a: string, b: string): number => (a < b ? -1 : a > b ? 1 : 0);

class IndexBuilder {
  readonly #blocks: Uint8Array[] = [];
  readonly #entriesAt: number;

  constructor(
    private readonly g: NtfsGeometry,
    private readonly shape: TreeShape,
  ) {
    this.#entriesAt = align8(40 + 2 * (g.indexSize / 512 + 1));
  }

  build(entries: readonly Uint8Array[]): BuiltIndex {
    let level: { entries: Uint8Array[]; children: number[] } = { entries: [...entries], children: [] };
    while (total(level.entries) + 8 * level.children.length > ROOT_LIMIT)
      level = this.#cut(level.entries, level.children);
    const root = this.#root(this.#node(level.entries, level.children));
    const bitmap = new Uint8Array(Math.max(8, Math.ceil(this.#blocks.length / 64) * 8));
    for (let i = 0; i < this.#blocks.length; i++) bitmap[i >> 3]! |= 1 << (i & 7);
    const blocks = new Uint8Array(this.#blocks.length * this.g.indexSize);
    this.#blocks.forEach((block, i) => blocks.set(block, i * this.g.indexSize));
    return { root, blocks, bitmap };
  }

  /** Cuts a level into blocks; the entries between them are the level above. */
  #cut(entries: readonly Uint8Array[], children: readonly number[]): { entries: Uint8Array[]; children: number[] } {
    const room = this.g.indexSize - this.#entriesAt - 24;
    const above: Uint8Array[] = [];
    const blocks: number[] = [];
    let from = 0;
    let used = 0;
    entries.forEach((entry, i) => {
      const size = entry.length + (children.length > 0 ? 8 : 0);
      if (used + size <= room || i === from) {
        used += size;
        return;
      }
      // An entry that does not fit goes up; if it is the last, the one before goes up, since one must stand behind it.
      const up = i === entries.length - 1 ? i - 1 : i;
      blocks.push(this.#block(entries.slice(from, up), children.slice(from, up + 1)));
      above.push(entries[up]!);
      from = up + 1;
      used = up < i ? size : 0;
    });
    blocks.push(this.#block(entries.slice(from), children.slice(from)));
    return { entries: above, children: blocks };
  }

  #node(entries: readonly Uint8Array[], children: readonly number[]): Uint8Array[] {
    if (children.length === 0) return [...entries, endEntry(undefined)];
    return [...entries.map((e, i) => withChild(e, children[i]!)), endEntry(children[entries.length])];
  }

  /** Adds a block and returns its VCN. */
  #block(entries: readonly Uint8Array[], children: readonly number[]): number {
    const { indexSize, clusterSize } = this.g;
    const vcn = this.#blocks.length * (clusterSize <= indexSize ? indexSize / clusterSize : indexSize / 512);
    const node = this.#node(entries, children);
    const size = total(node);
    const out = new Uint8Array(indexSize);
    if (this.#entriesAt + size > indexSize)
      throw new RangeError(`${size} bytes of entries do not fit a block of ${indexSize}`);
    const view = new DataView(out.buffer);
    out.set([0x49, 0x4e, 0x44, 0x58]);
    view.setUint16(4, 40, true);
    view.setUint16(6, indexSize / 512 + 1, true);
    view.setBigUint64(16, BigInt(vcn), true);
    view.setUint32(24, this.#entriesAt - HEADER, true);
    view.setUint32(28, this.#entriesAt - HEADER + size, true);
    view.setUint32(32, indexSize - HEADER, true);
    out[36] = children.length > 0 ? 1 : 0;
    let at = this.#entriesAt;
    for (const part of node) {
      out.set(part, at);
      at += part.length;
    }
    applyFixup(out, 40);
    this.#blocks.push(out);
    return vcn;
  }

  #root(node: readonly Uint8Array[]): Uint8Array {
    const { indexSize, clusterSize } = this.g;
    const size = total(node);
    const out = new Uint8Array(32 + size);
    const view = new DataView(out.buffer);
    view.setUint32(0, this.shape.type, true);
    view.setUint32(4, this.shape.collation, true);
    view.setUint32(8, indexSize, true);
    out[12] = clusterSize <= indexSize ? indexSize / clusterSize : indexSize / 512;
    view.setUint32(16, 16, true);
    view.setUint32(20, 16 + size, true);
    view.setUint32(24, 16 + size, true);
    out[28] = this.#blocks.length > 0 ? 1 : 0;
    let at = 32;
    for (const part of node) {
      out.set(part, at);
      at += part.length;
    }
    return out;
  }
}
