/** Room for very many short stretches of bytes, in few large blocks. */
const BLOCK_BYTES = 1024 * 1024;
/** Stretches begin at multiples of 2^3 bytes, so that a position fits in 32 bits up to 32 GiB. */
const GRAIN_SHIFT = 3;
const BLOCK_SHIFT = 17;
const WITHIN = 2 ** BLOCK_SHIFT - 1;

/** One block under four views. */
export interface Block {
  readonly bytes: Uint8Array;
  readonly words: Uint32Array;
  readonly doubles: Float64Array;
  readonly view: DataView;
}

export class Blocks {
  readonly #blocks: Block[] = [];
  /** Bytes of the last block that are taken. */
  #used = BLOCK_BYTES;

  /** Makes room for `length` bytes, at most a block. @returns its position, for the two calls below */
  room(length: number): number {
    if (length > BLOCK_BYTES - this.#used) {
      this.#blocks.push(newBlock());
      this.#used = 0;
    }
    const position = (((this.#blocks.length - 1) << BLOCK_SHIFT) | (this.#used >> GRAIN_SHIFT)) >>> 0;
    this.#used += ((length + 7) >> GRAIN_SHIFT) << GRAIN_SHIFT;
    return position;
  }

  /** The block that a position is in. */
  block(position: number): Block {
    return this.#blocks[position >>> BLOCK_SHIFT]!;
  }

  /** The byte of its block that a position is at. */
  within(position: number): number {
    return (position & WITHIN) << GRAIN_SHIFT;
  }
}

function newBlock(): Block {
  const buffer = new ArrayBuffer(BLOCK_BYTES);
  return {
    bytes: new Uint8Array(buffer),
    words: new Uint32Array(buffer),
    doubles: new Float64Array(buffer),
    view: new DataView(buffer),
  };
}
