import type { Layout, LaidVolume } from '@/core/layout';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { layoutColumn, snapStep, yInSection } from './geometry';

const MIB = 1024 * 1024;
const volume = (start: number, length: number): LaidVolume =>
  ({
    id: `v${start}`,
    origin: { kind: 'new' },
    start,
    length,
    fileSystem: 'fat32',
    label: '',
    role: 'data',
    active: false,
    type: 0,
    guarded: false,
  }) as unknown as LaidVolume;

describe('a column', () => {
  it('fills its box in disk order with nothing lower than readable', () => {
    const sizes = fc.array(fc.integer({ min: 1, max: 500_000 }), { minLength: 1, maxLength: 60 });
    fc.assert(
      fc.property(sizes, fc.integer({ min: 200, max: 900 }), (mib, height) => {
        let at = MIB;
        const volumes = mib.map((m) => {
          const v = volume(at, m * MIB);
          at += m * MIB;
          return v;
        });
        const layout: Layout = { diskSize: at, sectorSize: 512, table: 'mbr', volumes };
        const box = { top: 10, height: Math.max(height, mib.length * 25), gap: 3, least: 22 };
        const { sections } = layoutColumn(layout, box);
        expect(sections).toHaveLength(mib.length);
        let y = box.top;
        for (const s of sections) {
          expect(s.y).toBeCloseTo(y, 5);
          expect(s.height).toBeGreaterThanOrEqual(22 - 1e-6);
          y = s.y + s.height + box.gap;
        }
        expect(y - box.gap).toBeCloseTo(box.top + box.height, 3);
      }),
    );
  });

  it('shows gaps and finds offsets within sections', () => {
    const layout: Layout = { diskSize: 101 * MIB, sectorSize: 512, table: 'mbr', volumes: [volume(MIB, 50 * MIB)] };
    const { sections } = layoutColumn(layout, { top: 0, height: 100, gap: 0, least: 5 });
    expect(sections.map((s) => [s.volume !== undefined, Math.round(s.height)])).toEqual([
      [true, 50],
      [false, 50],
    ]);
    expect(yInSection(sections[0]!, 26 * MIB)).toBeCloseTo(25, 5);
  });

  it('snaps drags to powers of two of MiB', () => {
    expect(snapStep(100)).toBe(MIB);
    expect(snapStep(25 * MIB)).toBe(64 * MIB);
  });
});
