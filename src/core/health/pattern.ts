/**
 * What a stretch is written over with. Random bytes are the stream of ChaCha20 (RFC 8439) under a key of the run's own, so
 * that any part of them can be made again: to go on after a cut, and to compare what was written.
 */
import { chacha20 } from '@noble/ciphers/chacha.js';
import { randomBytes } from '@noble/ciphers/utils.js';

export const PATTERNS = ['zeros', 'ones', 'random'] as const;
export type Pattern = (typeof PATTERNS)[number];

/** Bytes that are made, written and compared at a time; parts of the random stream begin at multiples of it. */
export const PATTERN_CHUNK = 1024 * 1024;
const KEY_BYTES = 32;
const NONCE_BYTES = 12;

const zeros = new Uint8Array(PATTERN_CHUNK);

/** A fresh key from the system's own generator. */
export const newKey = (): Uint8Array => randomBytes(KEY_BYTES);

/** Fills `into`, which begins at a multiple of {@link PATTERN_CHUNK}, as pass number `pass` does, and is no longer than one. */
export function fillPattern(pattern: Pattern, key: Uint8Array, pass: number, at: number, into: Uint8Array): void {
  if (pattern !== 'random') {
    into.fill(pattern === 'ones' ? 0xff : 0);
    return;
  }
  const nonce = new Uint8Array(NONCE_BYTES);
  const view = new DataView(nonce.buffer);
  view.setUint32(0, pass, true);
  view.setBigUint64(4, BigInt(at / PATTERN_CHUNK), true);
  chacha20(key, nonce, zeros.subarray(0, into.length), into);
}

/** Whether a part is among the share that is compared, which is spread evenly. */
export function isCompared(at: number, share: number): boolean {
  const n = at / PATTERN_CHUNK;
  return Math.floor((n + 1) * share) > Math.floor(n * share) || (n === 0 && share > 0);
}
