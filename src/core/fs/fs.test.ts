import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { bytesBeyond, driverOf, findKind, joinRanges, kindFacts, makeableKinds, overlapsAny, totalOf } from '.';
import { FreeSpace } from './free-space';

const range = fc.tuple(fc.nat(300), fc.nat(40)).map(([start, length]) => ({ start, end: start + length }));

describe('ranges', () => {
  it('agree with a plain set of bytes', () => {
    fc.assert(
      fc.property(fc.array(range, { maxLength: 20 }), fc.nat(340), fc.nat(30), (ranges, at, length) => {
        const set = new Set<number>();
        for (const { start, end } of ranges) for (let i = start; i < end; i++) set.add(i);
        const joined = joinRanges(ranges);
        expect(totalOf(joined)).toBe(set.size);
        expect(bytesBeyond(joined, at)).toBe([...set].filter((i) => i >= at).length);
        const hit = Array.from({ length }, (_, i) => at + i).some((i) => set.has(i));
        expect(length > 0 && overlapsAny(joined, at, at + length)).toBe(hit);
        for (let i = 1; i < joined.length; i++) expect(joined[i]!.start).toBeGreaterThan(joined[i - 1]!.end);
      }),
    );
  });
});

describe('free space', () => {
  const runs = fc.array(fc.integer({ min: 1, max: 60 }), { maxLength: 25 }).map((lengths) => {
    let at = 0;
    return lengths.map((length) => {
      const run = { start: at, length };
      at += length + 1;
      return run;
    });
  });

  it('gives out each unit once, all of them, and nothing when there are too few', () => {
    fc.assert(
      fc.property(runs, fc.array(fc.integer({ min: 1, max: 90 }), { maxLength: 30 }), (list, wishes) => {
        const space = new FreeSpace(list);
        const free = new Set(list.flatMap((r) => Array.from({ length: r.length }, (_, i) => r.start + i)));
        expect(space.total).toBe(free.size);
        for (const wish of wishes) {
          const taken = space.take(wish);
          expect(taken === undefined).toBe(wish > free.size);
          for (const run of taken ?? [])
            for (let i = run.start; i < run.start + run.length; i++) expect(free.delete(i)).toBe(true);
          expect(space.total).toBe(free.size);
        }
      }),
    );
  });

  it('takes one run where one fits', () => {
    const space = new FreeSpace([
      { start: 0, length: 5 },
      { start: 10, length: 100 },
      { start: 200, length: 8 },
    ]);
    expect(space.take(7)).toEqual([{ start: 200, length: 7 }]);
    expect(space.take(50)).toEqual([{ start: 10, length: 50 }]);
  });

  it('is the same for the same wishes', () => {
    const make = (): FreeSpace =>
      new FreeSpace(Array.from({ length: 50 }, (_, i) => ({ start: i * 40, length: 1 + ((i * 13) % 30) })));
    const [a, b] = [make(), make()];
    for (const wish of [3, 17, 90, 4, 200]) expect(a.take(wish)).toEqual(b.take(wish));
  });
});

describe('the registry', () => {
  it('knows each kind once, with what a form and a table need', () => {
    const kinds = makeableKinds();
    expect(kinds.length).toBeGreaterThan(3);
    expect(new Set(kinds.map((k) => k.kind)).size).toBe(kinds.length);
    for (const k of kinds) {
      expect(driverOf(k.kind)?.kinds).toContain(k);
      const size = Math.min(Math.max(k.minBytes * 2, 6 * 2 ** 20), k.maxBytes);
      const sizes = k.clusterSizes(size, 512);
      expect(sizes).toContain(k.defaultClusterSize(size, 512));
      expect([...sizes].sort((a, b) => a - b)).toEqual(sizes);
      expect(k.mbrType(size)).toBeGreaterThan(0);
      expect(k.normaliseLabel('')).toBe('');
    }
  });

  it('says no to kinds it does not know', () => {
    expect(findKind('hfs')).toBeUndefined();
    expect(() => kindFacts('hfs')).toThrowError(expect.objectContaining({ code: 'fs.ability' }));
  });

  it('offers no cluster size where a size does not suit', () => {
    expect(kindFacts('fat32').clusterSizes(1024, 512)).toEqual([]);
    expect(kindFacts('fat12').defaultClusterSize(2 ** 40, 512)).toBeUndefined();
    expect(kindFacts('ntfs').clusterSizes(2 ** 20, 512)).toEqual([]);
    expect(kindFacts('ntfs').defaultClusterSize(2 ** 39, 512)).toBe(4096);
  });
});
