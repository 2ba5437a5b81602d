import { MediumDevice, MemoryDevice, SparseDevice } from '@/core/device';
import { CoreError } from '@/core/errors';
import { rounds } from '@/core/fixtures/rounds';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { measureSpeed, pieceFor, scan, type Stretch } from '.';

const MIB = 1024 * 1024;
const MODEL = { read: 100e6, write: 80e6, seek: 0.01 };

/** Sectors as ranges, neighbours joined. */
const ranges = (sectors: readonly number[], size = 512): Stretch[] =>
  [...new Set(sectors)]
    .sort((a, b) => a - b)
    .reduce<{ start: number; end: number }[]>((out, n) => {
      const last = out.at(-1);
      if (last?.end === n * size) last.end += size;
      else out.push({ start: n * size, end: (n + 1) * size });
      return out;
    }, []);

async function scanned(device: MediumDevice, stretches: readonly Stretch[]) {
  const [faults, slow]: [Stretch[], Stretch[]] = [[], []];
  let read = 0;
  const joined = (list: Stretch[], { start, end }: Stretch): void => {
    const last = list.at(-1) as { end: number } | undefined;
    if (last?.end === start) last.end = end;
    else list.push({ start, end });
  };
  for await (const event of scan(device, stretches, { clock: () => device.seconds })) {
    if (event.kind === 'fault') joined(faults, event);
    else if (event.kind === 'slow') joined(slow, event);
    else read += event.end - event.start;
  }
  return { faults, slow, read };
}

describe('a scan', () => {
  it('finds exactly the dead and the weak sectors of a medium, and reads everything once', async () => {
    const size = 40 * MIB;
    const sectors = fc.uniqueArray(fc.integer({ min: 0, max: size / 512 - 1 }), { maxLength: 12 });
    await fc.assert(
      fc.asyncProperty(sectors, sectors, async (dead, weakly) => {
        const weak = weakly.filter((n) => !dead.includes(n));
        const model = { ...MODEL, dead: ranges(dead), weak: ranges(weak) };
        const device = new MediumDevice(new SparseDevice(size), model);
        const found = await scanned(device, [{ start: 0, end: size }]);
        expect(found.read).toBe(size);
        expect(found.faults).toEqual(model.dead);
        // A weak sector is seen where nothing dead is read with it; where that is, the medium never got to it.
        const seen = found.slow.flatMap((s) =>
          Array.from({ length: (s.end - s.start) / 512 }, (_, i) => s.start / 512 + i),
        );
        expect(seen.every((n) => weak.includes(n))).toBe(true);
        const piece = pieceFor(size) / 512;
        const apart = weak.filter((n) => !dead.some((d) => Math.floor(d / piece) === Math.floor(n / piece)));
        expect(apart.every((n) => seen.includes(n))).toBe(true);
      }),
      { numRuns: rounds(20, 300) },
    );
  });

  it('finds them on a large disk, which is read in large pieces', async () => {
    const size = 750e9 - (750e9 % 512);
    const [dead, weak] = [
      [7e8, 7e8 + 1, 12e8],
      [10, 3e8, 3e8 + 4, 14e8],
    ];
    const model = { ...MODEL, slope: 1 / 3, dead: ranges(dead), weak: ranges(weak) };
    const device = new MediumDevice(new SparseDevice(size), model);
    expect(await scanned(device, [{ start: 0, end: size }])).toEqual({
      faults: model.dead,
      slow: model.weak,
      read: size,
    });
  });

  it('reads only what it is asked to', async () => {
    const device = new MediumDevice(new SparseDevice(20 * MIB), { ...MODEL, dead: ranges([1, 30_000]), weak: [] });
    const found = await scanned(device, [{ start: 10 * MIB, end: 16 * MIB }]);
    expect(found).toEqual({ faults: ranges([30_000]), slow: [], read: 6 * MIB });
  });

  it('tries a sector again before it gives it up', async () => {
    class Moody extends MemoryDevice {
      tries = 0;

      protected override async readAt(offset: number, into: Uint8Array): Promise<void> {
        const hit = offset <= 1000 * 512 && 1000 * 512 < offset + into.length;
        if (hit && (into.length > 512 || (this.tries += 1) % 3 !== 0))
          throw new CoreError('device.read-failed', { offset, length: into.length });
        await super.readAt(offset, into);
      }
    }
    const device = new Moody(new Uint8Array(2 * MIB));
    const kinds: string[] = [];
    for await (const { kind } of scan(device, [{ start: 0, end: device.size }], { clock: () => 0 })) kinds.push(kind);
    expect(kinds).toEqual(['read', 'read']);
  });

  it('stops when it is told to', async () => {
    const abort = new AbortController();
    const device = new SparseDevice(64 * MIB);
    const run = async (signal?: AbortSignal): Promise<void> => {
      const options = { clock: () => 0, ...(signal ? { signal } : {}) };
      for await (const _ of scan(device, [{ start: 0, end: device.size }], options)) abort.abort();
    };
    await expect(run(abort.signal)).rejects.toThrow(/abort/);
  });
});

describe('speed', () => {
  it('is that of the medium’s model, and says what was measured', async () => {
    const device = new MediumDevice(new SparseDevice(512 * MIB), { ...MODEL, dead: ranges([600_000]), weak: [] });
    const told: number[] = [];
    const result = await measureSpeed(device, {
      clock: () => device.seconds,
      measured: 'medium',
      taken: '2026-11-26T12:00:00Z',
      progress: (share) => told.push(share),
    });
    expect(result).toMatchObject({ measured: 'medium' });
    for (const { bytesPerSecond } of result.course) expect(bytesPerSecond).toBeCloseTo(MODEL.read, -6);
    expect(result.random.readsPerSecond).toBeGreaterThan(90);
    expect(result.random.readsPerSecond).toBeLessThan(101);
    expect(result.blocks.map((b) => b.size)).toContain(4096);
    expect(told.at(-1)).toBe(1);
  });
});
