import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { ExtentMap, type ExtentEdit } from './extent-map';

const SPAN = 400;

describe('an extent map', () => {
  const edit = fc.record({
    start: fc.nat(SPAN - 1),
    length: fc.nat(60),
    origin: fc.option(fc.nat(2), { nil: undefined }),
    at: fc.nat(5000),
  });

  /** The naive map: for each byte its origin and position. */
  function model(edits: readonly ExtentEdit[]): (string | undefined)[] {
    const bytes = new Array<string | undefined>(SPAN + 100).fill(undefined);
    for (const e of edits)
      for (let i = e.start; i < e.end; i++)
        bytes[i] = e.origin === undefined ? undefined : `${e.origin}@${e.at + i - e.start}`;
    return bytes;
  }

  it('says of every byte what the naive one says, sorted, apart, and joined where it continues', () => {
    fc.assert(
      fc.property(fc.array(edit, { maxLength: 60 }), fc.nat(SPAN), fc.nat(100), (list, from, length) => {
        const edits = list.map(({ start, length: l, origin, at }) => ({ start, end: start + l, origin, at }));
        const map = new ExtentMap();
        for (const e of edits) map.apply(e);
        const bytes = model(edits);
        const got = new Array<string | undefined>(bytes.length).fill(undefined);
        let last = { start: -1, end: -1, origin: -99, at: 0 };
        for (const e of map.all()) {
          expect(e.start).toBeGreaterThanOrEqual(last.end);
          const continues =
            e.start === last.end && e.origin === last.origin && last.at + last.end - last.start === e.at;
          expect(continues).toBe(false);
          for (let i = e.start; i < e.end; i++) got[i] = `${e.origin}@${e.at + i - e.start}`;
          last = e;
        }
        expect(got).toEqual(bytes);
        const within = [...map.within(from, from + length)];
        expect(within.reduce((sum, e) => sum + e.end - e.start, 0)).toBe(
          bytes.slice(from, from + length).filter((b) => b !== undefined).length,
        );
      }),
      { numRuns: 300 },
    );
  });

  it('stays quick with a hundred thousand pieces', () => {
    const map = new ExtentMap();
    for (let i = 0; i < 100_000; i++) {
      const start = ((i * 7919) % 100_000) * 10;
      map.apply({ start, end: start + 5, origin: 1, at: start * 3 });
    }
    expect([...map.all()].length).toBe(100_000);
    expect([...map.within(500_000, 500_100)]).toHaveLength(10);
    map.apply({ start: 0, end: 1_000_000, origin: undefined, at: 0 });
    expect([...map.all()]).toHaveLength(0);
  });
});
