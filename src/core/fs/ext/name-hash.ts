/**
 * The hashes by which large folders are ordered.
 *
 * “ext4 Data Structures and Algorithms”, “Hash Tree Directories”; the half MD4 transform is that of RFC 1320 with the
 * rounds cut short, TEA the cipher published by Wheeler and Needham.
 */
const HASH = { legacy: 0, halfMd4: 1, tea: 2 } as const;
/** Versions with this added take the bytes of names as unsigned. */
export const UNSIGNED = 3;
const END = 0x7fffffff;
const START: readonly number[] = [0x67452301, 0xefcdab89, 0x98badcfe, 0x10325476];

/**
 * The hash of a name, its lowest bit always 0.
 * @param version legacy, half MD4 or TEA, and whether bytes are unsigned
 * @param seed sixteen bytes; zeros for the usual start
 */
export function nameHash(name: Uint8Array, version: number, seed: Uint8Array): number {
  const unsigned = version >= UNSIGNED;
  const kind = unsigned ? version - UNSIGNED : version;
  if (kind === HASH.legacy) return ended(legacy(name, unsigned));
  const view = new DataView(seed.buffer, seed.byteOffset, 16);
  const own = [0, 4, 8, 12].map((at) => view.getUint32(at, true));
  const state = Uint32Array.from(own.some((n) => n !== 0) ? own : START);
  const width = kind === HASH.tea ? 4 : 8;
  for (let at = 0; at === 0 || at < name.length; at += width * 4) {
    const words = wordsOf(name.subarray(at), width, unsigned);
    if (kind === HASH.tea) tea(state, words);
    else halfMd4(state, words);
  }
  return ended(kind === HASH.tea ? state[0]! : state[1]!);
}

/** What marks the end of a folder can't be the hash of a name. */
function ended(hash: number): number {
  const even = (hash & ~1) >>> 0;
  return even === END * 2 ? (END - 1) * 2 : even;
}

const byteAt = (bytes: Uint8Array, i: number, unsigned: boolean): number =>
  unsigned ? bytes[i]! : (bytes[i]! << 24) >> 24;

/** Bytes as words, padded with what says how long the name is. */
function wordsOf(bytes: Uint8Array, count: number, unsigned: boolean): Uint32Array {
  const half = bytes.length | (bytes.length << 8);
  const pad = (half | (half << 16)) >>> 0;
  const out = new Uint32Array(count).fill(pad);
  const length = Math.min(bytes.length, count * 4);
  let value = pad;
  for (let i = 0; i < length; i++) {
    value = (byteAt(bytes, i, unsigned) + (value << 8)) | 0;
    if (i % 4 === 3) {
      out[i >> 2] = value;
      value = pad;
    }
  }
  if (length % 4 !== 0) out[length >> 2] = value;
  return out;
}

const rotate = (n: number, by: number): number => (n << by) | (n >>> (32 - by));

const F = (x: number, y: number, z: number): number => z ^ (x & (y ^ z));
const G = (x: number, y: number, z: number): number => ((x & y) + ((x ^ y) & z)) | 0;
const H = (x: number, y: number, z: number): number => x ^ y ^ z;
const ROUNDS: readonly {
  readonly f: (x: number, y: number, z: number) => number;
  readonly add: number;
  readonly order: readonly number[];
  readonly turn: readonly number[];
}[] = [
  { f: F, add: 0, order: [0, 1, 2, 3, 4, 5, 6, 7], turn: [3, 7, 11, 19] },
  { f: G, add: 0x5a827999, order: [1, 3, 5, 7, 0, 2, 4, 6], turn: [3, 5, 9, 13] },
  { f: H, add: 0x6ed9eba1, order: [3, 7, 2, 6, 1, 5, 0, 4], turn: [3, 9, 11, 15] },
];

function halfMd4(state: Uint32Array, words: Uint32Array): void {
  // The registers take turns: a, d, c, b.
  const r = [state[0]!, state[1]!, state[2]!, state[3]!];
  for (const { f, add, order, turn } of ROUNDS)
    order.forEach((word, step) => {
      const [a, b, c, d] = [0, 1, 2, 3].map((i) => (i + 4 - (step % 4)) % 4) as [number, number, number, number];
      r[a] = rotate((r[a]! + f(r[b]!, r[c]!, r[d]!) + words[word]! + add) | 0, turn[step % 4]!);
    });
  for (let i = 0; i < 4; i++) state[i] = state[i]! + r[i]!;
}

function tea(state: Uint32Array, [a, b, c, d]: Uint32Array): void {
  let sum = 0;
  let [x, y] = [state[0]!, state[1]!];
  for (let n = 0; n < 16; n++) {
    sum = (sum + 0x9e3779b9) | 0;
    x = (x + (((y << 4) + a!) ^ (y + sum) ^ ((y >>> 5) + b!))) >>> 0;
    y = (y + (((x << 4) + c!) ^ (x + sum) ^ ((x >>> 5) + d!))) >>> 0;
  }
  state[0] = state[0]! + x;
  state[1] = state[1]! + y;
}

function legacy(name: Uint8Array, unsigned: boolean): number {
  let [last, before] = [0x12a3fe2d, 0x37abe8f9];
  for (let i = 0; i < name.length; i++) {
    let hash = (before + (last ^ Math.imul(byteAt(name, i, unsigned), 7152373))) >>> 0;
    if (hash & 0x80000000) hash = (hash - 0x7fffffff) >>> 0;
    before = last;
    last = hash;
  }
  return (last << 1) >>> 0;
}
