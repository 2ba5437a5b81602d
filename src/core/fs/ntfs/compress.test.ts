/** Units come to what they were, and what can't be made shorter is told. */
import { rounds } from '@/core/fixtures/rounds';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { UnitCompressor } from './compress';
import { decompressUnit } from './decompress';

/** Stretches as they are in files: repeated, plain, all alike, or of two letters. */
const stretch = fc.oneof(
  fc.tuple(fc.uint8Array({ minLength: 1, maxLength: 40 }), fc.integer({ min: 1, max: 400 })).map(([bytes, times]) => {
    return Uint8Array.from({ length: bytes.length * times }, (_, i) => bytes[i % bytes.length]!);
  }),
  fc.uint8Array({ maxLength: 5000 }),
  fc.integer({ min: 0, max: 9000 }).map((length) => new Uint8Array(length).fill(length)),
  fc.array(fc.constantFrom(97, 98), { maxLength: 3000 }).map((letters) => Uint8Array.from(letters)),
);

const unitOf = (parts: readonly Uint8Array[], size: number): Uint8Array => {
  const out = new Uint8Array(size);
  let at = 0;
  for (const part of parts) {
    out.set(part.subarray(0, size - at), at);
    at = Math.min(size, at + part.length);
  }
  return out;
};

describe('compressed units', () => {
  it('come to what they were, whatever it is, and are the same each time', () => {
    const compressor = new UnitCompressor();
    let shorter = 0;
    fc.assert(
      fc.property(fc.array(stretch, { maxLength: 12 }), fc.constantFrom(8192, 16_384, 65_536), (parts, size) => {
        const unit = unitOf(parts, size);
        const most = size - size / 16;
        const short = compressor.compress(unit, new Uint8Array(size).fill(0xee), most)?.slice();
        if (!short) return;
        shorter += 1;
        expect(short.length).toBeLessThanOrEqual(most);
        expect(Buffer.compare(decompressUnit(short, size)!, unit)).toBe(0);
        // Padded with zeros up to whole clusters it is the same.
        const padded = new Uint8Array(Math.ceil(short.length / 512) * 512);
        padded.set(short);
        expect(Buffer.compare(decompressUnit(padded, size)!, unit)).toBe(0);
        expect(new UnitCompressor().compress(unit, new Uint8Array(size), most)).toEqual(short);
      }),
      { numRuns: rounds(150, 3000) },
    );
    expect(shorter).toBeGreaterThan(50);
  });

  it('of words are less than half as long, of noise none', () => {
    const compressor = new UnitCompressor();
    const words = new TextEncoder().encode('the alder, the bracken and the clover by the gate; '.repeat(1400));
    const text = unitOf([words], 65_536);
    expect(compressor.compress(text, new Uint8Array(65_536), 61_440)!.length).toBeLessThan(20_000);
    let state = 1;
    const noise = Uint8Array.from({ length: 65_536 }, () => (state = Math.imul(state, 1_103_515_245) + 12_345) >>> 24);
    expect(compressor.compress(noise, new Uint8Array(65_536), 61_440)).toBeUndefined();
  });
});
