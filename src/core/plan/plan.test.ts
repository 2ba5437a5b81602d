import { surveyDisk } from '@/core/inspect';
import { parseTarget, resolveTarget, type TargetInput } from '@/core/job';
import { endOf } from '@/core/layout';
import { MemoryJournal, startRun } from '@/core/run';
import { buildStick, NOW, planFor, SPLIT } from '@/core/run/fixtures/sticks';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { derivePlan, durationWords, stepWords } from '.';
import { verifyPlan } from './verify';

const MIB = 1024 * 1024;

describe('a plan', () => {
  it('is the same for the same inputs, and empty when nothing changes', async () => {
    const disk = await buildStick();
    expect((await planFor(disk, SPLIT)).plan).toEqual((await planFor(disk, SPLIT)).plan);
    expect((await planFor(disk, { volumes: [{ keep: 1 }] })).plan.steps).toEqual([]);
  });

  it('says in words what each step does', async () => {
    const { plan } = await planFor(await buildStick(), SPLIT);
    expect(plan.steps.map((s) => stepWords(s).title)).toEqual([
      'Check KEPT and read its files',
      'Shrink KEPT to 20 MiB',
      'Write the partition table',
      'Make NEW, 25 MiB FAT16',
      'Label KEPT',
      'Prove KEPT: compare every file',
    ]);
    expect([0.2, 45, 600, 7800].map(durationWords)).toEqual(['under 1 s', '45 s', '10 min', '2 h 10 min']);
  });

  it('counts what is lost', async () => {
    const { plan } = await planFor(await buildStick(), {
      volumes: [{ create: 'fat12', size: 'rest', label: 'X' }],
      remove: [1],
    });
    expect(plan.loses.files).toBe(53);
    expect(plan.steps.map((s) => s.kind)).toEqual(['remove', 'table', 'make']);
  });

  it.each<[string, TargetInput, string]>([
    ['a size below the floor', { volumes: [{ keep: 1, size: '5 MiB' }] }, 'fs.below-floor'],
    ['a volume past the end', { volumes: [{ keep: 1, size: '60 MiB' }] }, 'plan.refused'],
    ['volumes that do not fit', { volumes: [{ keep: 1 }, { create: 'fat16', size: '20 MiB' }] }, 'plan.refused'],
    [
      'a kind that does not suit the size',
      {
        volumes: [
          { keep: 1, size: '30 MiB' },
          { create: 'fat32', size: 'rest' },
        ],
      },
      'plan.refused',
    ],
    ['no table any more', { table: 'none', volumes: [{ keep: 1 }] }, 'target.invalid'],
  ])('is refused for %s', async (_name, target, code) => {
    const disk = await buildStick();
    await expect(planFor(disk, target)).rejects.toMatchObject({ code });
  });

  it('is refused on a damaged table', async () => {
    const disk = await buildStick();
    disk.buffer.set([0, 0xff, 0xff, 0x7f], 446 + 12);
    const survey = await surveyDisk(disk);
    expect(survey.findings[0]!.code).toBe('table.past-end');
    const { layout } = resolveTarget(survey, parseTarget({ volumes: [{ keep: 1, size: '20 MiB' }] }));
    expect(() => derivePlan(survey, layout)).toThrowError(expect.objectContaining({ code: 'plan.refused' }));
  });

  it('that would touch live bytes is caught by the dry run', async () => {
    const { plan, survey } = await planFor(await buildStick(), SPLIT);
    const { layout } = resolveTarget(survey, parseTarget(SPLIT));
    const wrong = { ...plan, steps: plan.steps.filter((s) => s.kind !== 'shrink') };
    expect(() => verifyPlan(survey, layout, wrong)).toThrow(/live|does not lead/);
    const make = plan.steps.find((s) => s.kind === 'make')!;
    const early = {
      ...plan,
      steps: plan.steps.map((s) => (s === make ? { ...make, at: { ...make.at, start: 5 * MIB } } : s)),
    };
    expect(() => verifyPlan(survey, layout, early)).toThrow(RangeError);
  });
});

describe('any legal plan', () => {
  it('runs on real file systems with every file the same', async () => {
    const size = fc.integer({ min: 11, max: 46 });
    await fc.assert(
      fc.asyncProperty(size, size, fc.integer({ min: 3, max: 12 }), fc.boolean(), async (a, b, extra, relabel) => {
        const disk = await buildStick();
        const first = await planFor(disk, {
          volumes: [
            { keep: 1, size: `${a} MiB`, ...(relabel ? { label: 'OTHER' } : {}) },
            ...(a + extra < 46 ? [{ create: 'fat12', size: `${extra} MiB`, label: 'N' }] : []),
          ],
        });
        const journal = new MemoryJournal();
        expect((await startRun(first.plan, { disk, journal, now: NOW })).proven).toBe(true);
        const second = await planFor(disk, {
          volumes: [{ keep: 1, size: `${b} MiB` }],
          remove: a + extra < 46 ? [2] : [],
        });
        const certificate = await startRun(second.plan, { disk, journal, now: NOW });
        if (second.plan.steps.length > 0)
          expect(certificate).toMatchObject({ proven: true, volumes: [{ files: 53, differing: 0 }] });
        const after = await surveyDisk(disk);
        expect(after.findings).toEqual([]);
        expect(after.volumes.flatMap((v) => v.findings)).toEqual([]);
        expect(endOf(after.volumes[0]!)).toBe((b + 1) * MIB);
      }),
      { numRuns: 25 },
    );
  });
});
