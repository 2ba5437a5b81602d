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

/** Of the name in hand: a check goes over all names of a volume, and would make several of these for each. */
const state = new Uint32Array(4);
const words = new Uint32Array(8);

/**
 * The hash of a name, its lowest bit always 0.
 * @param version legacy, half MD4 or TEA, and whether bytes are unsigned
 * @param seed sixteen bytes; zeros for the usual start
 */
export function nameHash(name: Uint8Array, version: number, seed: Uint8Array): number {
  const unsigned = version >= UNSIGNED;
  const kind = unsigned ? version - UNSIGNED : version;
  if (kind === HASH.legacy) return ended(legacy(name, unsigned));
  startFrom(seed);
  const width = kind === HASH.tea ? 4 : 8;
  for (let at = 0; at === 0 || at < name.length; at += width * 4) {
    putWords(name, at, width, unsigned);
    if (kind === HASH.tea) tea();
    else halfMd4();
  }
  return ended(kind === HASH.tea ? state[0]! : state[1]!);
}

function startFrom(seed: Uint8Array): void {
  let any = 0;
  for (let i = 0; i < 4; i++) {
    const at = 4 * i;
    state[i] = seed[at]! | (seed[at + 1]! << 8) | (seed[at + 2]! << 16) | (seed[at + 3]! << 24);
    any |= state[i]!;
  }
  if (any === 0) state.set(START);
}

/** What marks the end of a folder can't be the hash of a name. */
function ended(hash: number): number {
  const even = (hash & ~1) >>> 0;
  return even === END * 2 ? (END - 1) * 2 : even;
}

const byteAt = (bytes: Uint8Array, i: number, unsigned: boolean): number =>
  unsigned ? bytes[i]! : (bytes[i]! << 24) >> 24;

/** Bytes from `from` on as so many words, padded with what says how many are left of the name. */
function putWords(bytes: Uint8Array, from: number, count: number, unsigned: boolean): void {
  const left = bytes.length - from;
  const half = left | (left << 8);
  const pad = (half | (half << 16)) >>> 0;
  words.fill(pad, 0, count);
  const length = Math.min(left, count * 4);
  let value = pad;
  for (let i = 0; i < length; i++) {
    value = (byteAt(bytes, from + i, unsigned) + (value << 8)) | 0;
    if (i % 4 === 3) {
      words[i >> 2] = value;
      value = pad;
    }
  }
  if (length % 4 !== 0) words[length >> 2] = value;
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

function halfMd4(): void {
  let [a, b, c, d] = [state[0]! | 0, state[1]! | 0, state[2]! | 0, state[3]! | 0];
  for (const { f, add, order, turn } of ROUNDS)
    for (let step = 0; step < 8; step++) {
      const mixed = rotate((a + f(b, c, d) + words[order[step]!]! + add) | 0, turn[step % 4]!);
      // The registers take turns.
      [a, b, c, d] = [d, mixed, b, c];
    }
  state[0] = state[0]! + a;
  state[1] = state[1]! + b;
  state[2] = state[2]! + c;
  state[3] = state[3]! + d;
}

function tea(): void {
  const [a, b, c, d] = words;
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
