/** Random disks whose volumes are moved, swapped, shrunk and grown at once: the same files, and the same after any cut. */
import { MediumDevice } from '@/core/device';
import { layoutOf, surveyDisk } from '@/core/inspect';
import { rounds } from '@/core/fixtures/rounds';
import { derivePlan } from '@/core/plan';
import { seededRandom } from '@/core/practice';
import { quickHasher } from '@/core/proof/fixtures/quick-hasher';
import { describe, expect, it } from 'vitest';
import { MemoryJournal, startRun } from '.';
import { surviveCuts } from './fixtures/cuts';
import { movedDisk } from './fixtures/shuffled';
import { buildStick, NOW } from './fixtures/sticks';

const MIB = 1024 * 1024;
const seeds = (count: number): number[] => Array.from({ length: count }, (_, i) => i + 1);

describe.each(['gpt', 'mbr'] as const)('moves on a %s disk', (table) => {
  const ratios: number[] = [];

  it.each(seeds(rounds(5, 60)))('seed %i', async (seed) => {
    const { disk, plan, random } = await movedDisk(table, seed);
    if (plan.leastCarried > 0) ratios.push(plan.total.carries / plan.leastCarried);
    const undisturbed = await surviveCuts(plan, disk, random, 3);
    const after = await surveyDisk(undisturbed);
    expect(after.findings).toEqual([]);
    expect(after.volumes.flatMap((v) => v.findings)).toEqual([]);
    for (const { info, start } of after.volumes) if (info?.hiddenSectors) expect(info.hiddenSectors).toBe(start / 512);
  });

  it.each(seeds(rounds(3, 40)))('of one to twenty-four volumes, seed %i', async (seed) => {
    const { disk, survey, plan } = await movedDisk(table, seed + 1000, (random) => 1 + Math.floor(random() * 24));
    const files = survey.volumes.map((v) => v.files).sort();
    const certificate = await startRun(plan, { disk, journal: new MemoryJournal(), now: NOW, hasher: quickHasher });
    expect(certificate.proven).toBe(true);
    const after = await surveyDisk(disk);
    expect(after.volumes.flatMap((v) => v.findings)).toEqual([]);
    expect(after.volumes.map((v) => v.files).sort()).toEqual(files);
  });

  it('carry little more than must be carried', () => {
    const mean = ratios.reduce((sum, r) => sum + r, 0) / ratios.length;
    expect(ratios.length).toBeGreaterThan(3);
    expect(mean).toBeLessThan(1.1);
  });
});

describe('a sector that can’t be read', () => {
  it('stops a move over its own old place while the volume is still whole', async () => {
    const fill = [{ folder: 'f', count: 6, name: '{n}.bin', smallest: '98 KiB', largest: '98 KiB' }];
    const volumes = [{ size: '20 MiB', fileSystem: 'fat16', label: 'ONE', clusterSize: 4096, fill }];
    const disk = await buildStick({ volumes });
    const before = disk.buffer.slice();
    const survey = await surveyDisk(disk);
    const now = layoutOf(survey);
    const planned = { ...now, volumes: now.volumes.map((v) => ({ ...v, start: v.start + 4 * MIB })) };
    // The last sector in use is behind the end of the last file, where no proof reads.
    const { start, allocation } = survey.volumes[0]!;
    const end = start + allocation.at(-1)!.end;
    const speed = { read: 1e9, write: 1e9, seek: 0 };
    const medium = new MediumDevice(disk, { ...speed, weak: [], dead: [{ start: end - 512, end }] });
    const run = startRun(derivePlan(survey, planned), { disk: medium, journal: new MemoryJournal(), now: NOW });
    await expect(run).rejects.toMatchObject({ code: 'device.read-failed' });
    expect(Buffer.compare(disk.buffer, before)).toBe(0);
  });
});

describe('a volume that gets smaller and moves', () => {
  const fill = [
    { folder: 'near', count: 4, name: '{n}.bin', smallest: '90 KiB', largest: '90 KiB' },
    { folder: 'far', count: 4, name: '{n}.bin', smallest: '90 KiB', largest: '90 KiB', near: 0.95 },
  ];
  const stick = (size: string, volume: string): ReturnType<typeof buildStick> =>
    buildStick({ size, table: 'gpt', volumes: [{ size: volume, fileSystem: 'fat12', label: 'ONE', fill }] as never });

  it('is carried once where its new place is clear of its old one', async () => {
    const disk = await stick('30 MiB', '12 MiB');
    const survey = await surveyDisk(disk);
    const now = layoutOf(survey);
    const volumes = now.volumes.map((v) => ({ ...v, start: 16 * MIB, length: 5 * MIB }));
    const plan = derivePlan(survey, { ...now, volumes });
    const kinds = plan.steps.map((s) => s.kind);
    expect(kinds).not.toContain('shrink');
    expect(plan.steps.find((s) => s.kind === 'carry')).toMatchObject({
      to: { length: 5 * MIB },
      from: { length: 12 * MIB },
    });
    expect(plan.total.carries).toBe(plan.leastCarried);
    const after = await surveyDisk(await surviveCuts(plan, disk, seededRandom(3), 6));
    expect(after.volumes).toMatchObject([{ start: 16 * MIB, length: 5 * MIB, files: 8, findings: [] }]);
  });

  it('is made smaller first where it comes to stand over its old place', async () => {
    const disk = await stick('30 MiB', '12 MiB');
    const survey = await surveyDisk(disk);
    const now = layoutOf(survey);
    const volumes = now.volumes.map((v) => ({ ...v, start: v.start + 4 * MIB, length: 5 * MIB }));
    const plan = derivePlan(survey, { ...now, volumes });
    expect(plan.steps.map((s) => s.kind).filter((k) => k === 'shrink' || k === 'carry')).toEqual(['shrink', 'carry']);
  });

  it('is made smaller first where others need what it gives up before it goes', async () => {
    const one = { size: '12 MiB', fileSystem: 'fat12', label: 'ONE', fill };
    const two = { size: '6 MiB', fileSystem: 'fat12', label: 'TWO', fill };
    const disk = await buildStick({ size: '20 MiB', table: 'gpt', volumes: [one, two] as never });
    const survey = await surveyDisk(disk);
    const now = layoutOf(survey);
    const [first, second] = now.volumes;
    const volumes = [
      { ...second!, start: 7 * MIB },
      { ...first!, start: 14 * MIB, length: 5 * MIB },
    ];
    const plan = derivePlan(survey, { ...now, volumes });
    const words = plan.steps.map((s) => `${s.kind} ${s.name}`).filter((w) => /^(shrink|carry)/.test(w));
    expect(words).toEqual(['shrink ONE', 'carry TWO', 'carry ONE']);
    const disk2 = await surviveCuts(plan, disk, seededRandom(5), 4);
    expect((await surveyDisk(disk2)).volumes.map((v) => v.files)).toEqual([8, 8]);
  });
});
