import { ALIGNMENT, asVolumeId, endOf, lastUsable, type CopySource, type Layout } from '@/core/layout';
import { GIB, MIB } from '@/core/size';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { copyDisk, type Sharing } from './copy-disk';

const disk = (diskSize: number, sectorSize = 512): Layout => ({ diskSize, sectorSize, table: 'none', volumes: [] });

function source(
  number: number,
  length: number,
  floor: number | undefined,
  role: 'system' | 'data' | 'recovery' = 'data',
): CopySource {
  const bounds = { floor: floor ?? 0, floorReason: '', ceiling: 2 ** 45, ceilingReason: '' };
  return {
    sectorSize: 512,
    volume: {
      id: asVolumeId(`kept-${number}`),
      origin: { kind: 'kept', number },
      start: 0,
      length,
      fileSystem: 'ntfs',
      label: `V${number}`,
      role,
      active: number === 1,
      type: 7,
      logical: false,
      flags: [],
      guarded: role === 'recovery',
    },
    origin: {
      kind: 'copy',
      of: { disk: 'old', number },
      name: `V${number}`,
      diskName: 'Old',
      length,
      used: floor ?? length,
      ...(floor === undefined ? {} : { bounds }),
      identity: 'new',
    },
  };
}

const copy = (now: Layout, sources: readonly CopySource[], sharing: Sharing = 'grown', table: 'mbr' | 'gpt' = 'gpt') =>
  copyDisk(now, { sources, table, sharing, identity: 'new' });

describe('a disk copied onto another', () => {
  it('has every volume in its order, on the disk, apart, between floor and ceiling, whatever the sizes', () => {
    const volume = fc.record({
      length: fc.integer({ min: 2, max: 4000 }),
      share: fc.double({ min: 0.01, max: 1, noNaN: true }),
      known: fc.boolean(),
    });
    fc.assert(
      fc.property(
        fc.array(volume, { minLength: 1, maxLength: 9 }),
        fc.integer({ min: 8, max: 40_000 }),
        fc.constantFrom<Sharing>('grown', 'kept'),
        fc.constantFrom<'mbr' | 'gpt'>('mbr', 'gpt'),
        (wanted, size, sharing, table) => {
          const now = disk(size * MIB);
          const sources = wanted.map(({ length, share, known }, i) =>
            source(i + 1, length * MIB, known ? Math.floor(length * share) * MIB : undefined),
          );
          const result = copy(now, sources, sharing, table);
          if (!result.ok) {
            if (result.least === undefined) return;
            expect(result.least).toBeGreaterThan(now.diskSize);
            // What is named does, and a little less does not.
            expect(copy(disk(result.least), sources, sharing, table).ok).toBe(true);
            expect(copy(disk(result.least - ALIGNMENT), sources, sharing, table).ok).toBe(false);
            return;
          }
          const { layout } = result;
          let at = ALIGNMENT;
          for (const [i, v] of layout.volumes.entries()) {
            expect(v.start).toBeGreaterThanOrEqual(at);
            expect(v.start % ALIGNMENT).toBe(0);
            expect(v.origin).toMatchObject({ kind: 'copy', of: { number: i + 1 } });
            const { bounds, length } = sources[i]!.origin;
            expect(v.length).toBeGreaterThanOrEqual(bounds ? bounds.floor : length);
            if (!bounds || sharing === 'kept') expect(v.length).toBeLessThanOrEqual(length);
            at = endOf(v);
          }
          expect(at).toBeLessThanOrEqual(lastUsable(layout));
        },
      ),
    );
  });

  it('gives what a larger disk has more to data and system, and leaves the others as they are', () => {
    const result = copy(disk(100 * GIB), [
      source(1, 10 * GIB, GIB, 'system'),
      source(2, GIB, GIB, 'recovery'),
      source(3, 20 * GIB, GIB),
    ]);
    if (!result.ok) throw new Error(result.reason);
    const [system, recovery, data] = result.layout.volumes;
    expect(recovery!.length).toBe(GIB);
    expect(data!.length / system!.length).toBeCloseTo(2, 2);
    expect(lastUsable(result.layout) - endOf(data!)).toBeLessThan(4 * MIB);
  });

  it('takes a GUID table where the disk is too large for the other, and says so', () => {
    const result = copy(disk(3 * 1024 * GIB), [source(1, 10 * GIB, GIB)], 'grown', 'mbr');
    expect(result).toMatchObject({ ok: true, layout: { table: 'gpt' }, notes: [expect.stringMatching(/GUID table/)] });
  });

  it('does not go over what is guarded', () => {
    const now = { ...disk(100 * GIB), volumes: [{ ...source(1, GIB, GIB).volume, guarded: true }] };
    expect(copy(now, [source(1, GIB, GIB)])).toMatchObject({ ok: false, reason: expect.stringMatching(/guarded/) });
  });
});
