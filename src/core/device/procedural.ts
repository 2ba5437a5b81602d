/**
 * Procedural content: an endless stream fixed by its seed, any stretch of which can be made without the rest.
 *
 * Word `i` (4 bytes, little-endian) is a multiply-xorshift mix of the seed and `i`. Exact for offsets below 2^53;
 * the part of the index above 32 bits is mixed into the seed, so that streams longer than 16 GiB do not repeat.
 */
const WORDS_PER_EPOCH = 2 ** 32;

function mix(x: number): number {
  x = Math.imul(x ^ (x >>> 16), 0x21f0aaad);
  x = Math.imul(x ^ (x >>> 15), 0x735a2d97);
  return x ^ (x >>> 15);
}

/** Fills `into` with the stream of `seed` from byte `at` on. */
export function fillProcedural(seed: number, at: number, into: Uint8Array): void {
  const first = Math.floor(at / 4);
  const lead = at - first * 4;
  const words = Math.ceil((lead + into.length) / 4);
  const whole = lead === 0 && into.byteOffset % 4 === 0 && into.length % 4 === 0;
  const out = whole ? new Uint32Array(into.buffer, into.byteOffset, words) : new Uint32Array(words);
  for (let done = 0; done < words;) {
    const index = first + done;
    const epoch = Math.floor(index / WORDS_PER_EPOCH);
    const low = index - epoch * WORDS_PER_EPOCH;
    const run = Math.min(words - done, WORDS_PER_EPOCH - low);
    const key = mix((seed ^ Math.imul(epoch + 1, 0x9e3779b9)) | 0);
    for (let i = 0; i < run; i++) out[done + i] = mix((key + Math.imul((low + i) | 0, 0x9e3779b9)) | 0);
    done += run;
  }
  if (!whole) into.set(new Uint8Array(out.buffer, lead, into.length));
}
