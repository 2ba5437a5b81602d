import 'fake-indexeddb/auto';
import type { ScanBatch } from '@/core/health';
import { layoutOf, surveyDisk } from '@/core/inspect';
import { buildStick } from '@/core/run/fixtures/sticks';
import { beforeEach, expect, it, vi } from 'vitest';

const calls = vi.hoisted(() => ({ handlers: {} as Record<string, (...args: never[]) => unknown> }));

vi.mock('@/engine', async () => {
  const { Database } = await import('@/engine/database');
  const { guardQuota } = await import('@/engine/stores');
  return {
    Database,
    engine: async (method: string, ...args: never[]) => calls.handlers[method]!(...args),
    listener: (callback: unknown) => callback,
    EngineDied: class extends Error {},
    guardQuota,
  };
});

const { dropScan, dropSpeed, findVolumes, measureDisk, pauseTask, scanDisk } = await import('./health');
const { failingIn, healthOf, loadHealth } = await import('./health');
const { set } = await import('./store');
const { db } = await import('./keeping');

const survey = await surveyDisk(await buildStick());
const stored = { id: 'stick', name: 'Stick', order: 1, source: { kind: 'image', fingerprint: {} } } as never;

beforeEach(async () => {
  await db.health.clear();
  set({ disks: [{ stored, status: 'open', survey }], health: {}, problem: undefined });
});

const batch = (done: number, faults: ScanBatch['faults'] = []): ScanBatch => ({
  done,
  seconds: 1,
  course: [[3, 5000]],
  faults,
  slow: [],
});

const FAULT = { start: 4096, end: 8192 };

it('a scan is kept as far as it came, names what it meets once, and goes on from there', async () => {
  const asked: number[] = [];
  calls.handlers = {
    scan: (_id: string, { start: from, end }: { start: number; end: number }, told: (b: ScanBatch) => void) => {
      asked.push(from);
      expect(end).toBe(survey.size);
      told(from === 0 ? batch(survey.size / 2, [FAULT]) : batch(survey.size));
      return from > 0;
    },
    hits: (_id: string, places: readonly { start: number; end: number }[]) =>
      places.map((p) => ({ ...p, number: 1, what: 'file', path: 'a/b' })),
    stopTask: () => undefined,
  } as never;
  await scanDisk('stick', true);
  expect(healthOf('stick').scan).toMatchObject({ done: survey.size / 2, measured: 'file' });
  expect(healthOf('stick').scan!.faults).toEqual([{ ...FAULT, number: 1, what: 'file', path: 'a/b' }]);
  expect(healthOf('stick').task).toBeUndefined();
  // A page that is loaded anew finds it where it was left.
  set({ health: {} });
  await loadHealth('stick', survey.size);
  expect(healthOf('stick').scan!.done).toBe(survey.size / 2);
  await scanDisk('stick', false);
  expect(asked).toEqual([0, survey.size / 2]);
  expect(healthOf('stick').scan).toMatchObject({ done: survey.size, seconds: 2 });
  expect(healthOf('stick').scan!.faults).toHaveLength(1);
  expect(failingIn(healthOf('stick').scan)).toEqual({ weak: [], dead: [FAULT] });
  await pauseTask('stick');
  await dropScan('stick');
  expect(healthOf('stick').scan).toBeUndefined();
});

it('a part is read again, and what was found elsewhere stays', async () => {
  const half = survey.size / 2;
  const asked: unknown[] = [];
  let found: ScanBatch['faults'] = [FAULT, { start: half + 512, end: half + 1024 }];
  calls.handlers = {
    scan: (_id: string, stretch: { start: number; end: number }, told: (b: ScanBatch) => void) => {
      asked.push(stretch);
      told(batch(stretch.end, found));
      return true;
    },
    hits: (_id: string, places: readonly { start: number; end: number }[]) =>
      places.map((p) => ({ ...p, number: undefined, what: 'unallocated' })),
    stopTask: () => undefined,
  } as never;
  await scanDisk('stick', true);
  const part = { start: half, end: survey.size };
  found = [{ start: half + 2048, end: half + 4096 }];
  await scanDisk('stick', true, part);
  expect(asked).toEqual([{ start: 0, end: survey.size }, part]);
  set({ health: {} });
  await loadHealth('stick', survey.size);
  const scan = healthOf('stick').scan!;
  expect(scan).toMatchObject({ stretch: part, done: survey.size, rest: expect.any(String) as string });
  expect(failingIn(scan).dead).toEqual([FAULT, ...found]);
});

it('of another disk of that name nothing is believed', async () => {
  await db.health.put({ diskId: 'stick', state: { speeds: 'many' } });
  await loadHealth('stick', survey.size);
  expect(healthOf('stick').speeds).toEqual([]);
});

it('speeds are kept with their dates, and forgotten one by one', async () => {
  let n = 0;
  calls.handlers = {
    speed: (_id: string, taken: string) => ({
      version: 1,
      measured: 'file',
      taken: `${taken} ${(n += 1)}`,
      size: survey.size,
      course: [{ at: 0, bytesPerSecond: n }],
      blocks: [],
      random: { size: 4096, readsPerSecond: 1 },
      failed: 0,
    }),
  } as never;
  await measureDisk('stick');
  await measureDisk('stick');
  expect(healthOf('stick').speeds.map((s) => s.course[0]!.bytesPerSecond)).toEqual([1, 2]);
  await dropSpeed('stick', healthOf('stick').speeds[0]!.taken);
  set({ health: {} });
  await loadHealth('stick', survey.size);
  expect(healthOf('stick').speeds).toHaveLength(1);
});

it('what goes wrong is shown, and the disk is free for another task', async () => {
  calls.handlers = {
    find: () => {
      throw new Error('the file is gone');
    },
  };
  await findVolumes('stick');
  const { get } = await import('./store');
  expect([get().problem, healthOf('stick').task]).toEqual(['the file is gone', undefined]);
  calls.handlers = { find: () => ({ ...survey, lost: [] }) };
  await findVolumes('stick');
  expect(get().disks[0]!.survey).toMatchObject({ lost: [] });
  expect(layoutOf(get().disks[0]!.survey!)).toEqual(layoutOf(survey));
});
