import { WindowDevice, type BlockDevice } from '@/core/device';
import { probeFileSystem } from '@/core/fs';
import { giveOwnVolume } from '@/core/goal';
import { boundsOf, layoutOf, surveyDisk } from '@/core/inspect';
import type { Layout } from '@/core/layout';
import { derivePlan } from '@/core/plan';
import { buildPracticeDisk, parseRecipe } from '@/core/practice';
import { quickHasher } from '@/core/proof/fixtures/quick-hasher';
import { MemoryJournal, startRun } from '@/core/run';
import { GIB } from '@/core/size';
import { describe, expect, it } from 'vitest';
import { inRounds, lookAtTransfers } from '.';

const FOLDERS = ['Pictures', 'Music', 'Films', 'Letters', 'Herbarium', 'Archive'];

/** A system volume of 185 GiB with about 100 GiB of people's files, and 80 GiB free. */
const machine = () =>
  buildPracticeDisk(
    parseRecipe({
      ...{ version: 1, id: 'desk', name: 'Desk', medium: 'ssd', size: '186 GiB', table: 'gpt' },
      volumes: [
        {
          ...{ size: 'rest', fileSystem: 'ntfs', label: 'System', role: 'system' },
          fill: [
            { folder: 'System', count: 40, name: '{nn}.bin', smallest: '60 MiB', largest: '100 MiB' },
            ...FOLDERS.map((folder, i) => ({
              ...{
                folder: `People/${folder}`,
                count: 24,
                name: '{nn} {word}.dat',
                smallest: '500 MiB',
                largest: '1100 MiB',
              },
              ...{ near: i / FOLDERS.length, fragments: 2 },
            })),
          ],
        },
      ] as never,
    }),
  );

const openAt = async (disk: BlockDevice, { start, length }: { start: number; length: number }) => {
  const window = new WindowDevice(disk, start, length);
  return { window, volume: await (await probeFileSystem(window))!.driver.open(window) };
};

describe('a hundred gigabytes that get a volume of their own, with eighty free', () => {
  it('are one folder that is picked, go there in parts, and all of them are proven', async () => {
    const disk = await machine();
    const survey = await surveyDisk(disk);
    const [system] = survey.volumes;
    const people = { path: 'People', bytes: 0, files: 0 };
    for await (const { path, kind, size } of (await openAt(disk, system!)).volume.walk()) {
      if (kind !== 'file' || !path.startsWith('People/')) continue;
      people.bytes += size;
      people.files += 1;
    }
    const { bytes } = people;
    expect(bytes / GIB).toBeGreaterThan(90);
    expect(system!.info!.free).toBeLessThan(bytes);
    const now = layoutOf(survey);
    const given = giveOwnVolume(now, boundsOf(survey), now.volumes[0]!.id, [people], true);
    if (!given.ok) throw new Error(given.reason);
    expect(given.notes.join(' ')).toContain('in rounds');
    const layout: Layout = {
      ...given.layout,
      volumes: given.layout.volumes.map((v) => (v.origin.kind === 'new' ? { ...v, letter: 'D' } : v)),
    };
    const looked = await lookAtTransfers(
      layout.transfers ?? [],
      layout,
      async () => (await openAt(disk, system!)).volume,
    );
    const transfers = await inRounds(looked, layout, survey, async () => (await openAt(disk, system!)).window);
    const plan = derivePlan(survey, layout, { transfers });
    expect(plan.steps.filter((s) => s.kind === 'carry').length).toBeGreaterThan(0);
    expect(plan.steps.filter((s) => s.kind === 'clear').length).toBeGreaterThan(1);
    // Beside the files themselves: what the old volume carries in each time it gives room, and the new one as it moves up.
    expect(plan.total.carries).toBeLessThan(3 * bytes);
    const certificate = await startRun(plan, {
      ...{ disk, journal: new MemoryJournal(), hasher: quickHasher },
      now: () => '2026-11-27T08:00:00Z',
    });
    expect(certificate.proven).toBe(true);
    const after = await surveyDisk(disk);
    expect(after.volumes.flatMap((v) => v.findings)).toEqual([]);
    const [old, own] = after.volumes;
    expect(own!.files).toBe(people.files);
    expect(old!.start + old!.length).toBeLessThanOrEqual(own!.start);
  });
});
