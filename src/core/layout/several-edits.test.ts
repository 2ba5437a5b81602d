import { GIB, MIB } from '@/core/size';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  ALIGNMENT,
  endOf,
  equalShares,
  guardSeveral,
  removeSeveral,
  type Bounds,
  type LaidVolume,
  type Layout,
} from '.';
import { kept } from './fixtures/volumes';

const bound = (floor: number, ceiling = 2000 * GIB) => ({ floor, ceiling, floorReason: 'f', ceilingReason: 'c' });
const disk = (...volumes: LaidVolume[]): Layout => ({ diskSize: 400 * GIB, sectorSize: 512, table: 'gpt', volumes });
const three = disk(kept(1, MIB, 60 * GIB), kept(2, 80 * GIB, 20 * GIB), kept(3, 100 * GIB, 20 * GIB));
const all = three.volumes.map((v) => v.id);
const loose: Bounds = new Map([1, 2, 3].map((n) => [n, bound(GIB)]));
const sizes = ({ volumes }: Layout): number[] => volumes.map((v) => v.length / MIB);

describe('several volumes at once', () => {
  it('share what they have together, with what is unallocated between them', () => {
    const result = equalShares(three, loose, all);
    expect(result).toMatchObject({ ok: true, name: 'Equal shares of V1, V2 and V3' });
    if (!result.ok) return;
    const share = Math.floor((120 * 1024 - 1) / 3);
    expect(sizes(result.layout)).toEqual([share, share, share]);
    expect(result.layout.volumes.map((v) => v.start / MIB)).toEqual([1, 1 + share, 1 + 2 * share]);
  });

  it('give one that needs more what it needs, and share the rest', () => {
    const bounds: Bounds = new Map([...loose, [2, bound(60 * GIB)]]);
    const result = equalShares(three, bounds, all);
    if (!result.ok) throw new Error(result.reason);
    const [a, b, c] = sizes(result.layout);
    expect(b).toBe(60 * 1024);
    expect(a).toBe(c);
    expect(equalShares(three, new Map([...loose, [2, bound(130 * GIB)]]), all)).toMatchObject({ ok: false });
  });

  it('are neighbours to share, and none of them guarded', () => {
    expect(equalShares(three, loose, [all[0]!, all[2]!])).toMatchObject({
      ok: false,
      reason: expect.stringContaining('V2 stands between') as string,
    });
    expect(equalShares(three, loose, [all[0]!])).toMatchObject({ ok: false });
    const guarded = guardSeveral(three, all.slice(1), true);
    if (!guarded.ok) throw new Error(guarded.reason);
    expect(guarded.layout.volumes.map((v) => v.guarded)).toEqual([false, true, true]);
    for (const edited of [equalShares(guarded.layout, loose, all), removeSeveral(guarded.layout, all)])
      expect(edited).toMatchObject({ ok: false, reason: expect.stringContaining('V2 is guarded') as string });
  });

  it('go together, or none goes', () => {
    const result = removeSeveral(three, all.slice(0, 2));
    expect(result).toMatchObject({ ok: true, name: 'Remove V1 and V2' });
    expect(result.ok && result.layout.volumes.map((v) => v.label)).toEqual(['V3']);
  });

  it('never overlap, nor go past where the last of them ended, nor below a floor', () => {
    const volume = fc.record({ length: fc.integer({ min: 1, max: 40 }), gap: fc.nat(5), floor: fc.nat(60) });
    fc.assert(
      fc.property(fc.array(volume, { minLength: 2, maxLength: 7 }), (drawn) => {
        let at = MIB;
        const volumes = drawn.map(({ length, gap }, i) => {
          const next = kept(i + 1, at + gap * GIB, length * GIB);
          at = endOf(next);
          return next;
        });
        const floors: Bounds = new Map(drawn.map(({ floor }, i) => [i + 1, bound(Math.max(1, floor) * GIB)]));
        const result = equalShares(
          disk(...volumes),
          floors,
          volumes.map((v) => v.id),
        );
        const needed = drawn.reduce((sum, { floor }) => sum + Math.max(1, floor) * GIB, 0);
        expect(result.ok).toBe(needed <= at - volumes[0]!.start);
        if (!result.ok) return;
        let end = 0;
        for (const [i, v] of result.layout.volumes.entries()) {
          expect(v.start).toBeGreaterThanOrEqual(end);
          expect(v.start % ALIGNMENT).toBe(0);
          expect(v.length).toBeGreaterThanOrEqual(Math.max(1, drawn[i]!.floor) * GIB);
          end = endOf(v);
        }
        expect(end).toBeLessThanOrEqual(at);
      }),
    );
  });
});
