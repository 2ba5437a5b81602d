/** Rings on full disks, broken by setting a volume aside on another disk. */
import { isAll } from '@/core/bytes/fixtures/filled';
import { MemoryDevice, SparseDevice, UnreliableDevice } from '@/core/device';
import { layoutOf, surveyDisk, type Survey } from '@/core/inspect';
import type { Layout } from '@/core/layout';
import { derivePlan, wayOf, type Plan, type Scratch } from '@/core/plan';
import { buildPracticeDisk, parseRecipe, seededRandom } from '@/core/practice';
import { describe, expect, it } from 'vitest';
import { MemoryJournal, readRunState, resumeRun, startRun } from '.';
import { readCarried } from './carry-pieces';
import { blankOther, surviveCuts } from './fixtures/cuts';
import { buildStick, NOW } from './fixtures/sticks';

const MIB = 1024 * 1024;
const OTHER = { key: 'other', size: 24 * MIB };
const SCRATCH: Scratch = {
  disk: OTHER.key,
  name: 'Other stick',
  start: 3 * MIB,
  length: 20 * MIB,
  sectorSize: 512,
};

const volumeOf = (label: string, size: string, fileSystem = 'fat12'): object => ({
  size,
  fileSystem,
  label,
  fill: [{ folder: 'f', count: 5, name: `${label} {n}.bin`, smallest: '9 KiB', largest: '190 KiB', fragments: 2 }],
});

/** A disk that is full but for what alignment leaves. */
function fullDisk(table: 'mbr' | 'gpt', kinds: readonly string[] = ['fat12', 'fat12']): Promise<MemoryDevice> {
  const volumes = kinds.map((kind, i) => volumeOf(`V${i}`, '10 MiB', kind));
  return buildStick({ table, size: `${kinds.length * 10 + 2} MiB`, volumes: volumes as never });
}

/** The same volumes, turned round by one place. */
function turned(survey: Survey): Layout {
  const now = layoutOf(survey);
  const starts = now.volumes.map((v) => v.start);
  const volumes = now.volumes.map((v, i) => ({ ...v, start: starts[(i + 1) % starts.length]! }));
  return { ...now, volumes: volumes.sort((a, b) => a.start - b.start) };
}

async function planned(disk: MemoryDevice, scratch: Scratch[] = [SCRATCH]): Promise<{ survey: Survey; plan: Plan }> {
  const survey = await surveyDisk(disk);
  return { survey, plan: derivePlan(survey, turned(survey), { scratch }) };
}

/** Ways of what is carried, and the kinds of all other steps. */
const kindsOf = (plan: Plan): string[] => plan.steps.map((s) => (s.kind === 'carry' ? wayOf(s) : s.kind));
const back = (plan: Plan): number => kindsOf(plan).indexOf('back');

describe('a ring on a full disk whose volumes can be made smaller', () => {
  const shrinksOf = (plan: Plan): (string | number)[] =>
    plan.steps.flatMap((s) => (s.kind === 'shrink' ? [s.name, s.to / MIB, s.forWantOf! / MIB] : []));

  it('is broken by that where no other disk lends room, and by that disk where one does', async () => {
    const disk = await fullDisk('gpt');
    const survey = await surveyDisk(disk);
    const { plan } = await planned(disk, []);
    expect(shrinksOf(plan)).toEqual(['V0', 9, 10]);
    const others = kindsOf(plan).filter((k) => !['check', 'prove', 'table'].includes(k));
    // V1 is made smaller on its way, which carries nothing more.
    expect(others).toEqual(['shrink', 'move', 'move', 'move', 'grow', 'grow']);
    expect(plan.total.carries).toBeLessThan(1.5 * plan.leastCarried);
    expect(shrinksOf(derivePlan(survey, turned(survey), { scratch: [SCRATCH] }))).toEqual([]);
  });

  it('is not broken by a volume that is guarded', async () => {
    const survey = await surveyDisk(await fullDisk('gpt'));
    const layout = turned(survey);
    const volumes = layout.volumes.map((v) => ({ ...v, guarded: true }));
    expect(() => derivePlan(survey, { ...layout, volumes })).toThrow(/would do/);
    const one = layout.volumes.map((v, i) => ({ ...v, guarded: i === 0 }));
    const { steps } = derivePlan(survey, { ...layout, volumes: one });
    expect(steps.flatMap((s) => (s.kind === 'shrink' ? [s.name] : []))).toEqual([layout.volumes[1]!.label]);
  });

  it.each(['gpt', 'mbr'] as const)('of four kinds on %s: two change places, the others give room', async (table) => {
    const fill = (near: number): object[] => [
      { folder: 'f', count: 9, name: '{n}.bin', smallest: '9 KiB', largest: '190 KiB', fragments: 2, near },
    ];
    const volumes = ['fat32', 'exfat', 'ext4', 'ntfs'].map((fileSystem, i) => {
      return { size: '49 MiB', fileSystem, label: `V${i}`, fill: fill(i / 4) };
    });
    const disk = await buildStick({ table, size: '214 MiB', volumes: volumes as never });
    const survey = await surveyDisk(disk);
    const now = layoutOf(survey);
    const [a, b, ...others] = now.volumes;
    const exchanged = {
      ...now,
      volumes: [{ ...b!, start: a!.start }, { ...a!, start: a!.start + b!.length }, ...others],
    };
    const plan = derivePlan(survey, exchanged);
    expect(kindsOf(plan)).toContain('shrink');
    expect(kindsOf(plan)).not.toContain('away');
    const after = await surveyDisk(await surviveCuts(plan, disk, seededRandom(11), 5));
    expect(after.findings).toEqual([]);
    expect(after.volumes.flatMap((v) => v.findings)).toEqual([]);
    expect(after.volumes.map((v) => [v.info?.label, v.info?.size && Math.round(v.info.size / MIB)])).toEqual([
      ['V1', 49],
      ['V0', 49],
      ['V2', 49],
      ['V3', 49],
    ]);
  });
});

describe('a ring on a full disk', () => {
  it('is refused with the room that would do, and goes with that room on another disk', async () => {
    const disk = await fullDisk('gpt', ['unknown', 'unknown']);
    const survey = await surveyDisk(disk);
    expect(() => derivePlan(survey, turned(survey))).toThrow(
      expect.objectContaining({ code: 'plan.stuck', facts: expect.objectContaining({ needed: 10 * MIB }) }),
    );
    const tight = { ...SCRATCH, length: 10 * MIB - 512 };
    expect(() => derivePlan(survey, turned(survey), { scratch: [tight] })).toThrow(/would do/);
    const { plan } = await planned(disk);
    expect(kindsOf(plan).filter((k) => ['away', 'move', 'back', 'empty'].includes(k))).toEqual([
      'away',
      'move',
      'back',
      'empty',
    ]);
    expect(plan.hazards.some((h) => h.severity === 'warning' && h.message.includes('Other stick'))).toBe(true);
    expect(plan.total.carries).toBeGreaterThan(plan.leastCarried);
  });

  it('is broken on the disk itself where that has room', async () => {
    const volumes = [volumeOf('A', '10 MiB'), volumeOf('B', '10 MiB')] as never;
    const { plan } = await planned(await buildStick({ table: 'gpt', size: '34 MiB', volumes }));
    expect(kindsOf(plan)).not.toContain('away');
  });

  it('takes the longest of many stretches', async () => {
    const short = Array.from({ length: 20 }, (_, i) => ({ ...SCRATCH, start: (30 + 2 * i) * MIB, length: MIB }));
    const { plan } = await planned(await fullDisk('gpt'), [...short, SCRATCH]);
    expect(plan.steps.find((s) => s.kind === 'carry')).toMatchObject({ to: { disk: OTHER.key, start: SCRATCH.start } });
  });

  it('is not set aside in sectors larger than its own', async () => {
    const survey = await surveyDisk(await fullDisk('gpt', ['unknown', 'unknown']));
    const large = { ...SCRATCH, sectorSize: 4096 };
    expect(() => derivePlan(survey, turned(survey), { scratch: [large] })).toThrow(/would do/);
  });

  it.each([
    ['gpt', ['fat12', 'fat12']],
    ['mbr', ['exfat', 'ntfs']],
    ['gpt', ['ntfs', 'unknown', 'fat12']],
  ] as const)('on a %s disk of %j survives the power going on both disks', async (table, kinds) => {
    const disk = await fullDisk(table, kinds);
    const { survey, plan } = await planned(disk);
    expect(kindsOf(plan)).toContain('away');
    const after = await surveyDisk(
      await surviveCuts(plan, disk, seededRandom(7), 6, new Map([[OTHER.key, blankOther(OTHER)]])),
    );
    expect(after.findings).toEqual([]);
    expect(after.volumes.flatMap((v) => v.findings)).toEqual([]);
    expect(after.volumes.map((v) => v.start)).toEqual(survey.volumes.map((v) => v.start));
    for (const { info, start } of after.volumes) if (info?.hiddenSectors) expect(info.hiddenSectors).toBe(start / 512);
  });

  it('writes on the other disk in the stretch that was given, and nowhere else', async () => {
    const disk = await fullDisk('gpt');
    const { plan } = await planned(disk);
    const other = blankOther(OTHER);
    await startRun(plan, { disk, others: new Map([[OTHER.key, other]]), journal: new MemoryJournal(), now: NOW });
    const { start, length } = SCRATCH;
    const outside = [other.buffer.subarray(512, start), other.buffer.subarray(start + length)];
    for (const part of outside) expect(isAll(0xa5, part)).toBe(true);
    // What was set aside there is gone again, and what was there before it too.
    expect(new Set(other.buffer.subarray(start, start + length))).toEqual(new Set([0, 0xa5]));
  });
});

describe('the other disk', () => {
  it('must be at hand before anything is written', async () => {
    const disk = await fullDisk('gpt');
    const before = disk.buffer.slice();
    const { plan } = await planned(disk);
    const run = startRun(plan, { disk, journal: new MemoryJournal(), now: NOW });
    await expect(run).rejects.toMatchObject({ code: 'run.elsewhere' });
    expect(Buffer.compare(disk.buffer, before)).toBe(0);
  });

  it('is compared before a volume is brought back from it', async () => {
    const disk = await fullDisk('gpt');
    const { plan } = await planned(disk);
    const other = new MemoryDevice(new Uint8Array(OTHER.size));
    const journal = new MemoryJournal();
    const abort = new AbortController();
    const others = new Map([[OTHER.key, other]]);
    const fetching = back(plan);
    const progress = ({ step, state }: { step: number; state: string }): void => {
      if (step === fetching - 1 && state === 'done') abort.abort();
    };
    const run = startRun(plan, { disk, others, journal, now: NOW, signal: abort.signal, progress });
    await expect(run).rejects.toMatchObject({ code: 'run.stopped' });
    const at = disk.buffer.slice();
    const foreign = new Map([[OTHER.key, new MemoryDevice(new Uint8Array(OTHER.size).fill(1))]]);
    await expect(resumeRun({ disk, others: foreign, journal, now: NOW })).rejects.toMatchObject({
      code: 'run.elsewhere',
    });
    expect(Buffer.compare(disk.buffer, at)).toBe(0);
    expect((await readRunState(journal))?.next).toBe(fetching);
    expect((await resumeRun({ disk, others, journal, now: NOW })).proven).toBe(true);
  });

  it('is told from one where a single byte of what was put there has changed, wherever that is', async () => {
    const disk = await fullDisk('gpt', ['ntfs', 'fat12']);
    const { plan } = await planned(disk);
    const other = new MemoryDevice(new Uint8Array(OTHER.size));
    const journal = new MemoryJournal();
    const abort = new AbortController();
    const others = new Map([[OTHER.key, other]]);
    const progress = ({ step, state }: { step: number; state: string }): void => {
      if (step === back(plan) - 1 && state === 'done') abort.abort();
    };
    const run = startRun(plan, { disk, others, journal, now: NOW, signal: abort.signal, progress });
    await expect(run).rejects.toMatchObject({ code: 'run.stopped' });
    const { ranges } = await readCarried(journal, kindsOf(plan).indexOf('away'));
    const at = disk.buffer.slice();
    const random = seededRandom(9);
    for (const { start, end } of ranges) {
      const place = plan.lent[0]!.start + start + Math.floor(random() * (end - start));
      other.buffer[place]! ^= 1;
      const again = resumeRun({ disk, others, journal, now: NOW });
      await expect(again, `byte ${place}`).rejects.toMatchObject({ code: 'run.elsewhere' });
      other.buffer[place]! ^= 1;
    }
    expect(ranges.length).toBeGreaterThan(2);
    expect((await readRunState(journal))?.next).toBe(back(plan));
    expect(Buffer.compare(disk.buffer, at)).toBe(0);
    expect((await resumeRun({ disk, others, journal, now: NOW })).proven).toBe(true);
  });

  it('is left with nothing on it, whenever the power goes', async () => {
    const disk = await fullDisk('gpt');
    const { plan } = await planned(disk);
    const counter = new UnreliableDevice(blankOther(OTHER), { after: Infinity, random: Math.random });
    const start = disk.buffer.slice();
    await startRun(plan, { disk, others: new Map([[OTHER.key, counter]]), journal: new MemoryJournal(), now: NOW });
    // The last writes there are those that clear it.
    const clearing = Math.min(12, counter.operations);
    for (let cut = counter.operations - clearing; cut < counter.operations; cut++) {
      const again = new MemoryDevice(start.slice());
      const other = new MemoryDevice(new Uint8Array(OTHER.size));
      const journal = new MemoryJournal();
      const cutOther = new UnreliableDevice(other, { after: cut, random: seededRandom(cut) });
      const run = startRun(plan, { disk: again, others: new Map([[OTHER.key, cutOther]]), journal, now: NOW });
      await expect(run).rejects.toMatchObject({ code: 'device.power-cut' });
      const ports = { disk: again, others: new Map([[OTHER.key, other]]), journal, now: NOW };
      expect((await resumeRun(ports)).proven).toBe(true);
      expect(isAll(0, other.buffer), `cut ${cut}`).toBe(true);
    }
  });

  it('is not used where the room is in use by now', async () => {
    const disk = await fullDisk('gpt');
    const { plan } = await planned(disk);
    const before = disk.buffer.slice();
    const volumes = [volumeOf('MINE', '20 MiB')] as never;
    const other = await buildStick({ id: 'taken', size: '24 MiB', table: 'mbr', volumes });
    const run = startRun(plan, { disk, others: new Map([[OTHER.key, other]]), journal: new MemoryJournal(), now: NOW });
    await expect(run).rejects.toMatchObject({ code: 'run.elsewhere' });
    expect(Buffer.compare(disk.buffer, before)).toBe(0);
  });

  it('keeps content that is known without being read as what it is', async () => {
    const recipe = (id: string, volumes: readonly object[]): ReturnType<typeof parseRecipe> =>
      parseRecipe({ version: 1, id, name: id, medium: 'ssd', size: '20.01 GiB', table: 'gpt', volumes } as never);
    const fill = [{ folder: 'f', count: 20, name: '{n}.bin', smallest: '200 MiB', largest: '300 MiB' }];
    const volumes = [1, 2].map((n) => ({ size: '10 GiB', fileSystem: 'exfat', label: `V${n}`, fill }));
    const disk = await buildPracticeDisk(recipe('large', volumes));
    const survey = await surveyDisk(disk);
    const other = new SparseDevice(12 * 1024 * MIB);
    const scratch = { ...SCRATCH, length: 11 * 1024 * MIB };
    const plan = derivePlan(survey, turned(survey), { scratch: [scratch] });
    const ports = { disk, others: new Map([[OTHER.key, other]]), journal: new MemoryJournal(), now: NOW };
    expect((await startRun(plan, ports)).proven).toBe(true);
    // Some 5 GiB of files went there and back as references, and nothing of them stays.
    expect(plan.total.carries).toBeGreaterThan(8 * 1024 * MIB);
    expect([...other.occupied()]).toEqual([]);
  });
});
