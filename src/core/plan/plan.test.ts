import { layoutOf, surveyDisk } from '@/core/inspect';
import { parseTarget, resolveTarget, type TargetInput } from '@/core/job';
import { endOf } from '@/core/layout';
import { buildPracticeDisk, parseRecipe } from '@/core/practice';
import { MemoryJournal, startRun } from '@/core/run';
import { buildStick, NOW, planFor, SPLIT } from '@/core/run/fixtures/sticks';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { derivePlan, durationWords, stepWords } from '.';
import { verifyPlan } from './verify';

const MIB = 1024 * 1024;
const MANY = { version: 1, id: 'many', name: 'Many', medium: 'ssd', size: '256 MiB', table: 'gpt' } as const;

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
    expect(() => verifyPlan(layout, wrong)).toThrow(/live|does not lead/);
    const make = plan.steps.find((s) => s.kind === 'make')!;
    const early = {
      ...plan,
      steps: plan.steps.map((s) => (s === make ? { ...make, at: { ...make.at, start: 5 * MIB } } : s)),
    };
    expect(() => verifyPlan(layout, early)).toThrow(RangeError);
  });
});

describe('a plan with moves', () => {
  it('lets others go where a volume was that is made anew, which may go elsewhere itself', async () => {
    const volumes = ['A', 'B', 'C'].map((label) => ({
      size: '8 MiB',
      fileSystem: 'fat12',
      label,
      fill: [{ folder: 'f', count: 4, name: '{n}.bin', smallest: '1 KiB', largest: '90 KiB' }],
    }));
    const disk = await buildStick({ volumes });
    const survey = await surveyDisk(disk);
    const now = layoutOf(survey);
    const [a, b, c] = now.volumes;
    const planned = {
      ...now,
      volumes: [
        { ...b!, start: MIB },
        { ...c!, start: 9 * MIB },
        { ...a!, start: 17 * MIB, format: 'quick' as const },
      ],
    };
    const plan = derivePlan(survey, planned);
    expect(plan.steps.map((s) => s.kind)).toContain('carry');
    expect(plan.loses.files).toBe(4);
    const certificate = await startRun(plan, { disk, journal: new MemoryJournal(), now: NOW });
    expect(certificate).toMatchObject({ proven: true, volumes: [{ files: 4 }, { files: 4 }] });
    expect((await surveyDisk(disk)).volumes.map((v) => [v.info?.label, v.files])).toEqual([
      ['B', 4],
      ['C', 4],
      ['A', 0],
    ]);
  });

  it('is worked out for a hundred volumes, each moved once and over its own old place', async () => {
    const volumes = [{ size: '2 MiB', fileSystem: 'fat12', label: 'V' }];
    const disk = await buildPracticeDisk(parseRecipe({ ...MANY, volumes }));
    const survey = await surveyDisk(disk);
    const one = survey.volumes[0]!;
    const many = Array.from({ length: 100 }, (_, i) => ({ ...one, number: i + 1, start: (1 + 2 * i) * MIB, slot: i }));
    const hundred = { ...survey, volumes: many };
    const now = layoutOf(hundred);
    const planned = { ...now, volumes: now.volumes.map((v) => ({ ...v, start: v.start + MIB })) };
    const plan = derivePlan(hundred, planned);
    expect(plan.steps.filter((s) => s.kind === 'carry')).toHaveLength(100);
    expect(plan.total.carries).toBe(plan.leastCarried);
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
