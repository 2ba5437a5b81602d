/**
 * Reading the index of a folder in the order of its tree.
 *
 * Linux-NTFS “NTFS Documentation”, chapters “$INDEX_ROOT” and “$INDEX_ALLOCATION”. Every block is visited once at most,
 * so that a tree that points back into itself ends.
 */
import { ENTRY_CHILD, ENTRY_LAST, INDEX_BLOCK } from './build-record';
import { undoFixup } from './record';

/** An entry of a folder's index. */
export interface ReadEntry {
  readonly reference: bigint;
  /** The file-name attribute's value; a view of the block. */
  readonly key: Uint8Array;
  /** The whole entry, without what leads on from it; made anew each time, and owned by the caller. */
  readonly bytes: Uint8Array;
}

/** A copy of each entry is made for who asks: a check goes over all names of a volume and wants none. */
class EntryInPlace implements ReadEntry {
  constructor(
    readonly reference: bigint,
    readonly key: Uint8Array,
    private readonly node: Uint8Array,
    private readonly at: number,
    private readonly length: number,
  ) {}

  get bytes(): Uint8Array {
    return alone(this.node, this.at, this.length);
  }
}

const ROOT_HEADER = 16;
const ENTRY_HEADER = 16;
const MAX_DEPTH = 32;

/** The entries in order, or what is wrong with the tree. */
export type ReadIndex = { readonly entries: readonly ReadEntry[] } | { readonly fault: string };

/**
 * Reads an index.
 * @param root the value of the index root
 * @param blocks the index blocks one after the other, as on the disk
 * @param blockSize bytes of a block
 * @param unit bytes that one step of a VCN stands for
 */
export function readIndex(root: Uint8Array, blocks: Uint8Array, blockSize: number, unit: number): ReadIndex {
  try {
    return { entries: new IndexReader(blocks, blockSize, unit).read(root) };
  } catch (error) {
    if (error instanceof IndexFault) return { fault: error.message };
    throw error;
  }
}

/** An entry as it stands in a leaf. */
function alone(bytes: Uint8Array, at: number, length: number): Uint8Array {
  const out = bytes.slice(at, at + length);
  const view = new DataView(out.buffer);
  view.setUint16(8, length, true);
  view.setUint16(12, view.getUint16(12, true) & ~ENTRY_CHILD, true);
  return out;
}

class IndexFault extends Error {}

class IndexReader {
  readonly #entries: ReadEntry[] = [];
  readonly #seen = new Set<number>();

  constructor(
    private readonly blocks: Uint8Array,
    private readonly blockSize: number,
    private readonly unit: number,
  ) {}

  read(root: Uint8Array): ReadEntry[] {
    if (root.length < ROOT_HEADER + 16) throw new IndexFault('its root is too short');
    this.#node(root, ROOT_HEADER, 0);
    return this.#entries;
  }

  /** A node's entries; its header says where they begin and end, counted from the header. */
  #node(bytes: Uint8Array, header: number, depth: number): void {
    if (depth > MAX_DEPTH) throw new IndexFault('its tree is too deep');
    const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.length);
    const end = Math.min(bytes.length, header + view.getUint32(header + 4, true));
    for (let at = header + view.getUint32(header, true); ;) {
      if (at + ENTRY_HEADER > end) throw new IndexFault('a block ends before its last entry');
      const length = view.getUint16(at + 8, true);
      const keyLength = view.getUint16(at + 10, true);
      const flags = view.getUint16(at + 12, true);
      const child = flags & ENTRY_CHILD ? 8 : 0;
      if (length < ENTRY_HEADER + child || length % 8 !== 0 || at + length > end)
        throw new IndexFault('an entry has a length that makes no sense');
      if (child) this.#block(view.getBigUint64(at + length - 8, true), depth + 1);
      if (flags & ENTRY_LAST) return;
      if (ENTRY_HEADER + keyLength + child > length) throw new IndexFault('a name is longer than its entry');
      const key = bytes.subarray(at + ENTRY_HEADER, at + ENTRY_HEADER + keyLength);
      this.#entries.push(new EntryInPlace(view.getBigUint64(at, true), key, bytes, at, length - child));
      at += length;
    }
  }

  #block(vcn: bigint, depth: number): void {
    const at = Number(vcn) * this.unit;
    if (!Number.isSafeInteger(at) || at + this.blockSize > this.blocks.length)
      throw new IndexFault(`block ${vcn} is not there`);
    if (this.#seen.has(at)) throw new IndexFault(`block ${vcn} is reached twice`);
    this.#seen.add(at);
    const bytes = this.blocks.slice(at, at + this.blockSize);
    const header = INDEX_BLOCK.decode(bytes);
    if (header.magic !== 'INDX' || undoFixup(bytes) !== 'ok') throw new IndexFault(`block ${vcn} is torn or no block`);
    if (header.vcn !== vcn) throw new IndexFault(`block ${vcn} says it is block ${header.vcn}`);
    this.#node(bytes, 24, depth);
  }
}
