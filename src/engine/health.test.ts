import 'fake-indexeddb/auto';
import type { ScanBatch } from '@/core/health';
import { parseRecipe, type RecipeInput } from '@/core/practice';
import { describe, expect, it } from 'vitest';
import { EngineHost } from './host';

const RECIPE: RecipeInput = {
  version: 1,
  id: 'health',
  name: 'Health',
  medium: 'hdd',
  size: '200 GiB',
  table: 'mbr',
  volumes: [
    {
      size: '60 GiB',
      fileSystem: 'ntfs',
      label: 'OLD',
      fill: [{ folder: 'a', count: 40, name: 'f{nn}.bin', smallest: '100 MiB', largest: '200 MiB' }],
    },
  ],
  weak: [{ at: '90 GiB', sectors: 16 }],
  dead: [
    { at: '100 GiB', sectors: 8 },
    { at: '12 MiB', sectors: 2 },
  ],
};

const ALL = { start: 0, end: 200 * 2 ** 30 };

async function opened(id: string): Promise<EngineHost> {
  const host = new EngineHost();
  await host.openPractice(id, parseRecipe({ ...RECIPE, id }));
  return host;
}

describe('reading a whole disk', () => {
  it('finds the medium’s dead and weak sectors, and says what lies on them', async () => {
    const host = await opened('scan');
    const batches: ScanBatch[] = [];
    expect(await host.scan('scan', ALL, (batch) => batches.push(batch))).toBe(true);
    const faults = batches.flatMap((b) => b.faults);
    expect(faults).toEqual([
      { start: 12 * 2 ** 20, end: 12 * 2 ** 20 + 1024 },
      { start: 100 * 2 ** 30, end: 100 * 2 ** 30 + 4096 },
    ]);
    expect(batches.flatMap((b) => b.slow)).toEqual([{ start: 90 * 2 ** 30, end: 90 * 2 ** 30 + 8192 }]);
    expect(batches.at(-1)!.done).toBe(200 * 2 ** 30);
    const [first, second] = await host.hits('scan', faults);
    expect(second).toMatchObject({ what: 'unallocated', number: undefined });
    expect(first).toMatchObject({ number: 1, start: faults[0]!.start });
    expect(['file', 'structure', 'free space']).toContain(first!.what);
  });

  it('reads a part of it, and no more', async () => {
    const host = await opened('part');
    const batches: ScanBatch[] = [];
    const part = { start: 80 * 2 ** 30, end: 100 * 2 ** 30 + 1024 };
    expect(await host.scan('part', part, (batch) => batches.push(batch))).toBe(true);
    expect(batches.flatMap((b) => b.faults)).toEqual([{ start: 100 * 2 ** 30, end: 100 * 2 ** 30 + 1024 }]);
    expect(batches.flatMap((b) => b.slow)).toHaveLength(1);
    expect(batches.at(-1)!.done).toBe(part.end);
  });

  it('stops where it is told to, and goes on from there', async () => {
    const host = await opened('stop');
    let done = 0;
    const stopped = host.scan('stop', ALL, (batch) => {
      done = batch.done;
      void host.stopTask('stop');
    });
    const whole = await stopped;
    // A machine so fast that nothing was told before the end has nothing to stop.
    if (!whole) expect(done).toBeLessThan(200 * 2 ** 30);
    const rest: ScanBatch[] = [];
    expect(await host.scan('stop', { ...ALL, start: done }, (batch) => rest.push(batch))).toBe(true);
    expect(rest.at(-1)!.done).toBe(whole ? 0 : 200 * 2 ** 30);
  });

  it('measures the medium’s model and says so', async () => {
    const host = await opened('speed');
    const result = await host.speed('speed', '2026-11-26T12:00:00Z', () => undefined);
    expect(result).toMatchObject({ measured: 'medium', taken: '2026-11-26T12:00:00Z' });
    const rates = result!.course.map((c) => c.bytesPerSecond);
    expect(rates[0]! / rates.at(-1)!).toBeGreaterThan(1.7);
  });

  it('finds a volume that was taken out of the table, and shows what is in it', async () => {
    const host = await opened('find');
    const { layoutOf } = await import('@/core/inspect');
    const { derivePlan } = await import('@/core/plan');
    const survey = await host.survey('find');
    const plan = derivePlan(survey, { ...layoutOf(survey), volumes: [] });
    await host.run('find', plan, {}, () => undefined);
    const { lost } = await host.find('find', () => undefined);
    expect(lost!.map((v) => [v.number, v.info!.label, v.lost!.whole])).toEqual([[1, 'OLD', 40]]);
    expect((await host.folder('find', 1, ''))[0]).toMatchObject({ name: 'a', totalFiles: 40 });
    expect((await host.look('find')).lost).toBeUndefined();
    expect((await host.lookForMends('find')).volumes).toEqual([]);
  });
});
