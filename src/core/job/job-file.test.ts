import { rounds } from '@/core/fixtures/rounds';
import { surveyDisk, boundsOf, layoutOf } from '@/core/inspect';
import {
  addTransfer,
  addWipe,
  createVolume,
  removeVolume,
  gapsOf,
  moveVolume,
  reorderVolume,
  resizeEnd,
  setLabel,
  type Edited,
  type Layout,
} from '@/core/layout';
import { seededRandom } from '@/core/practice';
import { buildStick, SPLIT } from '@/core/run/fixtures/sticks';
import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import * as z from 'zod';
import {
  adaptedTarget,
  jobFile,
  jobFileSchema,
  jobFit,
  knownDisk,
  parseJobFile,
  parseTarget,
  resolveTarget,
  takeOver,
  targetFrom,
  type TargetInput,
} from '.';

const stick = await buildStick();
const survey = await surveyDisk(stick);
const MADE = '2026-11-27T01:00:00.000Z';
const job = jobFile({ made: MADE, disk: knownDisk(survey, 'stick.img'), notes: 'Back by Friday.' }, SPLIT);

describe('a job file', () => {
  it('is read back as it was written', () => {
    expect(parseJobFile(JSON.parse(JSON.stringify(job)))).toEqual(job);
    expect(job.disk).toMatchObject({
      name: 'stick.img',
      table: 'mbr',
      volumes: [{ number: 1, label: 'STICK', files: 53 }],
    });
  });

  it('says what is wrong with one that is none', () => {
    const refused = (value: unknown, words: RegExp): void =>
      expect(() => parseJobFile(value)).toThrowError(
        expect.objectContaining({ code: 'document.invalid', message: expect.stringMatching(words) }),
      );
    refused({ ...job, version: 2 }, /version 2/);
    refused({ ...job, extra: 1 }, /extra/);
    refused({ ...job, target: { volumes: [{ keep: 0 }] } }, /target/);
    refused(null, /whole/);
    refused([], /whole/);
  });

  it('has the schema that is published', () => {
    const published: unknown = JSON.parse(readFileSync('docs/job.schema.json', 'utf8'));
    expect(published).toEqual(JSON.parse(JSON.stringify(z.toJSONSchema(jobFileSchema, { io: 'input' }))));
  });
});

describe('the disk of a job', () => {
  it('is the one in hand where nothing differs', () => {
    expect(jobFit(job, survey)).toEqual({ differences: [], unfit: [], missing: [] });
  });

  it('is another where something does, and each thing is told', async () => {
    const other = await surveyDisk(
      await buildStick({ size: '64 MiB', volumes: [{ fileSystem: 'exfat', label: 'OTHER' }] }),
    );
    const { differences, unfit } = jobFit(job, other);
    for (const words of [
      /Size of the disk/,
      /is long/,
      /holds: fat16 in the job, exfat here/,
      /labelled: STICK/,
      /files: 53/,
    ])
      expect(differences.some((d) => words.test(d))).toBe(true);
    expect(unfit).toEqual(['Volume 1 is fat16 in the job, and exfat here.']);
    const { target, left } = adaptedTarget(job, other);
    expect(left).toEqual(unfit);
    expect(target.volumes.filter((v) => 'keep' in v)).toEqual([{ keep: 1 }]);
  });

  it('keeps volumes that the job knows nothing of', async () => {
    const two = await surveyDisk(
      await buildStick({
        volumes: [
          { fileSystem: 'fat16', label: 'STICK', size: '30 MiB' },
          { fileSystem: 'fat12', label: 'MORE' },
        ],
      }),
    );
    const { target } = adaptedTarget(job, two);
    expect(target.volumes.filter((v) => 'keep' in v).map((v) => 'keep' in v && v.keep)).toEqual([1, 2]);
    expect(jobFit(job, two).differences.at(-1)).toBe('Volume 2 of this disk is not in the job.');
  });
});

describe('a job that is taken over', () => {
  const none = { sources: new Map(), disks: new Map() };

  it('becomes the layout that it was saved from, with the letters and guards there are', () => {
    const now = layoutOf(survey);
    const lettered = { ...now, volumes: now.volumes.map((v) => ({ ...v, letter: 'E' })) };
    const taken = takeOver({ ...job, guarded: [1] }, { survey, now: lettered, ...none });
    expect(taken.left).toEqual([]);
    expect(taken.layout.volumes.map((v) => [v.length, v.label, v.letter, v.guarded])).toEqual([
      [20 * 1024 * 1024, 'KEPT', 'E', true],
      [25 * 1024 * 1024, 'NEW', undefined, false],
    ]);
  });

  it('gives names and roles alone where its sizes do not fit, and everything stays', async () => {
    const two = await surveyDisk(
      await buildStick({
        volumes: [
          { fileSystem: 'fat16', label: 'STICK', size: '20 MiB' },
          { fileSystem: 'fat12', label: 'MORE' },
        ],
      }),
    );
    const large: TargetInput = { volumes: [{ keep: 1, size: '47 MiB', label: 'LARGE' }], remove: [2] };
    const wish = jobFile(
      { made: MADE, disk: knownDisk(two, 'two'), guarded: [] },
      { ...large, volumes: [...large.volumes, { create: 'fat16', size: '40 MiB' }] },
    );
    const { layout, left } = takeOver(wish, { survey: two, now: layoutOf(two), ...none });
    expect(left.at(-1)).toMatch(/left out/);
    expect(left.length).toBeGreaterThan(1);
    expect(layout.volumes.map((v) => [v.id, v.label])).toEqual([
      ['kept-1', 'LARGE'],
      ['kept-2', 'MORE'],
    ]);
  });
});

/** Everything of a layout that is written to a disk, without the identities that new volumes have in a page. */
const written = ({ volumes, table, wipes, transfers, mendTable, mend }: Layout): unknown => {
  const at = (id: string): number => volumes.findIndex((v) => v.id === id);
  return {
    ...{ table, mendTable, mend },
    volumes: volumes.map(({ id: _id, guarded: _guarded, placement: _placement, ...rest }) => rest),
    wipes: wipes?.map((w) => (w.what === 'free' ? { ...w, volume: at(w.volume) } : w)),
    transfers: transfers?.map(({ fromName: _name, ...t }) => ({ ...t, to: at(t.to) })),
  };
};

const NEW = { fileSystem: 'exfat', label: '', role: 'data' as const, format: 'quick' as const };

describe('a layout as a target', () => {
  it('leads to the same layout again, whatever was edited', async () => {
    for (let seed = 1; seed <= rounds(10, 300); seed++) {
      const random = seededRandom(seed * 31);
      const table = random() < 0.5 ? 'mbr' : 'gpt';
      const disk = await surveyDisk(
        await buildStick({
          table,
          volumes: [
            { fileSystem: 'fat16', label: 'ONE', size: '20 MiB' },
            { fileSystem: 'ntfs', label: 'TWO', size: '14 MiB' },
          ],
        }),
      );
      const bounds = boundsOf(disk);
      let layout = layoutOf(disk);
      const apply = (edited: Edited): void => void (edited.ok && (layout = edited.layout));
      for (let i = 0; i < 5; i++) {
        const volume = layout.volumes[Math.floor(random() * layout.volumes.length)];
        const roll = random();
        const [gap] = gapsOf(layout);
        if (roll < 0.3 && gap)
          apply(createVolume(layout, bounds, gap, { ...NEW, label: `N${i}`, size: gap.end - gap.start }));
        else if (!volume) continue;
        else if (roll < 0.6)
          apply(resizeEnd(layout, bounds, volume.id, Math.floor(volume.length * (0.7 + random() * 0.5))));
        else if (roll < 0.66) apply(removeVolume(layout, volume.id));
        else if (roll < 0.75) apply(reorderVolume(layout, bounds, volume.id, undefined));
        else if (roll < 0.8) apply(moveVolume(layout, bounds, volume.id, volume.start + 2 ** 20));
        else if (roll < 0.85) apply(setLabel(layout, volume.id, `L${i}`));
        else apply(addWipe(layout, { what: 'unallocated', passes: ['zeros'], compare: 0.1 }));
      }
      const again = resolveTarget(disk, parseTarget(JSON.parse(JSON.stringify(targetFrom(layout, disk)))));
      expect(written(again.layout), `seed ${seed}`).toEqual(written(layout));
      expect(again.notes).toEqual([]);
    }
  });

  it('names the volumes that folders go to', () => {
    const { layout } = resolveTarget(survey, parseTarget(SPLIT));
    const to = layout.volumes.at(-1)!.id;
    const wished = addTransfer(layout, {
      ...{ from: { disk: 'here', number: 1 }, fromName: 'STICK', to, folder: 'Far', under: 'Far', then: 'remove' },
    });
    expect(wished.ok).toBe(true);
    const target = targetFrom(wished.ok ? wished.layout : layout, survey);
    expect(target.transfers).toEqual([
      { from: { volume: 1 }, folder: 'Far', to: 'volume 2', under: 'Far', then: 'remove' },
    ]);
    expect(target.volumes.at(-1)).toMatchObject({ as: 'volume 2' });
  });
});
