import fc from 'fast-check';
import zlib from 'node:zlib';
import { describe, expect, it } from 'vitest';
import {
  crc32,
  crc32c,
  isZeros,
  narrow,
  raw,
  sameBytes,
  struct,
  text,
  u16,
  u16At,
  u32,
  u32At,
  u64,
  u64At,
  u8,
  utf16,
} from '.';

const SAMPLE = struct('sample', 24, { a: u8(0), b: u16(1), c: u32(4), d: u64(8), e: raw(16, 3), f: text(19, 4) });

describe('numbers where they stand', () => {
  it('are what a view reads, and endless where they are no safe integers', () => {
    fc.assert(
      fc.property(fc.uint8Array({ minLength: 8, maxLength: 24 }), fc.nat(16), (bytes, from) => {
        const at = Math.min(from, bytes.length - 8);
        const view = new DataView(bytes.buffer);
        const whole = view.getBigUint64(at, true);
        expect(u16At(bytes, at)).toBe(view.getUint16(at, true));
        expect(u32At(bytes, at)).toBe(view.getUint32(at, true));
        expect(u64At(bytes, at)).toBe(whole > Number.MAX_SAFE_INTEGER ? Infinity : Number(whole));
        // The bytes of random numbers are large: small ones have zeros above.
        bytes.fill(0, at + 6, at + 8);
        expect(u64At(bytes, at)).toBe(Number(view.getBigUint64(at, true)));
      }),
    );
  });

  it('spell text of any length, unpaired surrogates too', () => {
    fc.assert(
      fc.property(fc.array(fc.integer({ min: 0, max: 0xffff }), { maxLength: 600 }), (units) => {
        const bytes = new Uint8Array(Uint16Array.from(units).buffer);
        expect(utf16(bytes)).toBe(units.map((unit) => String.fromCharCode(unit)).join(''));
      }),
    );
  });
});

describe('struct', () => {
  it('decodes what it encodes and leaves reserved bytes alone', () => {
    fc.assert(
      fc.property(fc.uint8Array({ minLength: 40, maxLength: 40 }), fc.nat(16), (bytes, at) => {
        const before = bytes.slice();
        const value = SAMPLE.decode(bytes, at);
        SAMPLE.encode(value, bytes, at);
        expect(bytes).toEqual(before);
      }),
    );
  });

  it('reads little-endian', () => {
    const bytes = new Uint8Array(24);
    SAMPLE.encode({ b: 0x1234, c: 0xdeadbeef, d: 1n << 40n }, bytes);
    expect([...bytes.subarray(1, 3)]).toEqual([0x34, 0x12]);
    expect(SAMPLE.decode(bytes)).toMatchObject({ c: 0xdeadbeef, d: 1n << 40n });
  });

  it('refuses a buffer that is too short, with both ranges', () => {
    expect(() => SAMPLE.decode(new Uint8Array(30), 10)).toThrow('[10, 34)');
  });

  it('refuses fields beyond its size', () => expect(() => struct('x', 4, { a: u32(2) })).toThrow(RangeError));
});

describe('helpers', () => {
  it('knows the standard CRC-32 check value', () => {
    expect(crc32(new TextEncoder().encode('123456789'))).toBe(0xcbf43926);
  });

  it('continues a CRC-32', () => {
    const all = new TextEncoder().encode('123456789');
    expect(crc32(all.subarray(4), crc32(all.subarray(0, 4)))).toBe(0xcbf43926);
  });

  it('is that of the machine for any bytes, wherever they lie and are cut', () => {
    const bytes = fc.uint8Array({ maxLength: 300 });
    fc.assert(
      fc.property(bytes, fc.nat(20), fc.nat(300), (all, from, cut) => {
        const part = all.subarray(from);
        expect(crc32(part.subarray(cut), crc32(part.subarray(0, cut)))).toBe(zlib.crc32(part));
      }),
    );
  });

  it('of the other polynomial is that of its definition, bit by bit', () => {
    const slow = (bytes: Uint8Array): number => {
      let c = 0xffffffff;
      for (const byte of bytes)
        for (let bit = 0; bit < 8; bit++) c = (c >>> 1) ^ ((c ^ (byte >> bit)) & 1 ? 0x82f63b78 : 0);
      return c >>> 0;
    };
    fc.assert(
      fc.property(fc.uint8Array({ maxLength: 200 }), (bytes) => {
        expect(crc32c(bytes)).toBe(slow(bytes));
      }),
    );
  });

  it('tells equal bytes from others, by length too', () => {
    expect(sameBytes(Uint8Array.of(1, 2), Uint8Array.of(1, 2))).toBe(true);
    expect(sameBytes(Uint8Array.of(1, 2), Uint8Array.of(1, 3))).toBe(false);
    expect(sameBytes(Uint8Array.of(1), Uint8Array.of(1, 0))).toBe(false);
  });

  it('narrows exactly or not at all', () => {
    expect(narrow(2n ** 53n - 1n)).toBe(Number.MAX_SAFE_INTEGER);
    expect(() => narrow(2n ** 53n)).toThrow(RangeError);
  });
});

describe('zeros', () => {
  it('are told from anything else, wherever in a buffer they begin and end', () => {
    const place = fc.record({ from: fc.nat(9), length: fc.nat(70), at: fc.nat(90), value: fc.nat(255) });
    fc.assert(
      fc.property(place, ({ from, length, at, value }) => {
        const buffer = new Uint8Array(100);
        buffer[at] = value;
        const part = buffer.subarray(from, from + length);
        expect(isZeros(part)).toBe(part.every((b) => b === 0));
      }),
    );
  });
});
