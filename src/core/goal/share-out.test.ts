import { GIB, MIB } from '@/core/size';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { shareOut } from '.';

const context = { whole: 12 * GIB, current: 10 * GIB, floor: 3 * GIB };

describe('sizes of the parts of a split', () => {
  it.each<[string[], number[]]>([
    [
      ['1/3', '1/3', 'rest'],
      [4, 4, 4],
    ],
    [
      ['floor', 'rest', 'rest'],
      [3, 4.5, 4.5],
    ],
    [
      ['50 %', '2 GiB', 'rest'],
      [6, 2, 4],
    ],
    [
      ['-4 GiB', 'rest'],
      [6, 6],
    ],
  ])('%j are %j GiB', (texts, sizes) => {
    expect(shareOut(texts, context).map((bytes) => bytes / GIB)).toEqual(sizes);
  });

  it('refuses what can’t be read, and rests of which nothing is left', () => {
    expect(() => shareOut(['much', 'rest'], context)).toThrow(/much/);
    expect(() => shareOut(['13 GiB', 'rest'], context)).toThrow();
  });

  it('are whole MiB but the last, and shares of one fill the whole', () => {
    fc.assert(
      fc.property(fc.integer({ min: 2, max: 16 }), fc.integer({ min: 64, max: 9_000_000 }), (count, mib) => {
        const whole = mib * MIB + 12_345 * 512;
        const sizes = shareOut(
          Array.from({ length: count }, () => `1/${count}`),
          { whole, current: whole, floor: 0 },
        );
        for (const bytes of sizes.slice(0, -1)) expect(bytes % MIB).toBe(0);
        expect(sizes.reduce((sum, bytes) => sum + bytes, 0)).toBe(whole);
        expect(Math.max(...sizes) - Math.min(...sizes)).toBeLessThanOrEqual(count * MIB + MIB);
      }),
    );
  });

  it('never come to more than there is when rests are among them', () => {
    const part = fc.constantFrom('rest', '10 %', '1 GiB', '1/4', 'floor');
    fc.assert(
      fc.property(fc.array(part, { minLength: 2, maxLength: 6 }), (texts) => {
        if (!texts.includes('rest')) return;
        let sizes: number[];
        try {
          sizes = shareOut(texts, context);
        } catch {
          return;
        }
        expect(sizes.reduce((sum, bytes) => sum + bytes, 0)).toBeLessThanOrEqual(context.whole);
      }),
    );
  });
});
