import { boundsOf, layoutOf, surveyDisk, type Survey } from '@/core/inspect';
import { endOf, setGuard, type Layout, type VolumeId } from '@/core/layout';
import { derivePlan, stepWords } from '@/core/plan';
import { buildPracticeDisk, parseRecipe, type RecipeInput } from '@/core/practice';
import { MemoryJournal, startRun } from '@/core/run';
import { NOW } from '@/core/run/fixtures/sticks';
import { GIB } from '@/core/size';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { adviseFileSystem, gatherFacts, GOALS, headroomAdvice, proposeGoal, PURPOSES, waysTo, type Proposal } from '.';

const files = (gib: number, near = 0): object => ({
  folder: 'Bilder',
  count: 20,
  name: '{nnn}.tif',
  smallest: `${Math.floor((gib * 1024) / 20)} MiB`,
  largest: `${Math.floor((gib * 1024) / 20)} MiB`,
  near,
});

async function disk(overrides: Partial<RecipeInput>): ReturnType<typeof buildPracticeDisk> {
  const base = { version: 1, id: 'goal', name: 'Goal', medium: 'ssd', size: '128 GB', table: 'gpt' };
  return buildPracticeDisk(parseRecipe({ ...base, ...overrides }));
}

/** Three volumes in a row and unallocated space at the end: 40, 30 and 20 GiB of 119. */
const THREE: Partial<RecipeInput> = {
  volumes: [
    { size: '40 GiB', fileSystem: 'ntfs', label: 'System', role: 'system', fill: [files(20)] },
    { size: '30 GiB', fileSystem: 'ntfs', label: 'Archiv', fill: [files(4, 0.8)] },
    { size: '20 GiB', fileSystem: 'exfat', label: 'Bilder', fill: [files(3)] },
  ] as never,
};

const id = (n: number): VolumeId => `kept-${n}` as VolumeId;

async function run(device: Awaited<ReturnType<typeof disk>>, survey: Survey, layout: Layout): Promise<Survey> {
  const certificate = await startRun(derivePlan(survey, layout), {
    disk: device,
    journal: new MemoryJournal(),
    now: NOW,
  });
  expect(certificate.proven).toBe(true);
  const after = await surveyDisk(device);
  expect(after.volumes.flatMap((v) => v.findings)).toEqual([]);
  return after;
}

describe('the ways to a bigger volume', () => {
  it('lead past places that can’t be written, with nothing lost', async () => {
    const device = await disk(THREE);
    const survey = await surveyDisk(device);
    const [, archive] = survey.volumes;
    // Something of the volume that follows would come to each of them.
    const dead = archive!.allocation.slice(2, 5).map(({ start }) => {
      const at = archive!.start + 10 * GIB + start;
      return { start: at, end: at + 512 };
    });
    const wish = { kind: 'grow', id: id(1), bytes: 10 * GIB } as const;
    const { ways } = waysTo(survey, layoutOf(survey), wish, { failing: { weak: [], dead } });
    const way = ways.find(({ title }) => title === 'From Archiv')!;
    expect(way.plan.loses.files).toBe(0);
    expect(way.plan.steps.map((s) => stepWords(s).title)).toEqual(
      expect.arrayContaining([expect.stringMatching(/^Clear .* in Archiv$/)]),
    );
  });

  it('reach free space behind the next volume, with what lies between shifted', async () => {
    const device = await disk(THREE);
    const survey = await surveyDisk(device);
    const { ways } = waysTo(survey, layoutOf(survey), { kind: 'grow', id: id(2), bytes: 15 * GIB });
    const shift = ways.find((w) => w.title === 'From a gap further behind')!;
    expect(shift.costs).toEqual(['Bilder is moved 15 GiB later']);
    expect(shift.plan.total.carries).toBe(shift.plan.leastCarried);
    expect(shift.plan.steps.map((s) => stepWords(s).title)).toContain('Move Bilder 15 GiB towards the end');
    const after = await run(device, survey, shift.layout);
    expect(after.volumes.map((v) => v.length / GIB)).toEqual([40, 45, 20]);
  });

  it('reach room inside a volume two places away', async () => {
    const device = await disk(THREE);
    const survey = await surveyDisk(device);
    const { ways } = waysTo(survey, layoutOf(survey), { kind: 'grow', id: id(1), bytes: 10 * GIB });
    const far = ways.find((w) => w.title === 'From Bilder')!;
    expect(far.costs).toEqual([
      'Archiv is moved 10 GiB later',
      'Bilder gives 10 GiB and keeps 7 GiB free',
      'Bilder is moved 10 GiB later',
    ]);
    const after = await run(device, survey, far.layout);
    expect(after.volumes.map((v) => v.length / GIB)).toEqual([50, 30, 10]);
    expect(after.volumes.map((v) => v.files)).toEqual([20, 20, 20]);
  });

  it('are different ones, the cheapest first, those that lose something last', async () => {
    const survey = await surveyDisk(await disk(THREE));
    const { ways } = waysTo(survey, layoutOf(survey), { kind: 'grow', id: id(1), bytes: 10 * GIB });
    expect(new Set(ways.map((w) => JSON.stringify(w.layout.volumes))).size).toBe(ways.length);
    const rank = ways.map((w) => [w.plan.loses.bytes, -w.layout.volumes.length, w.plan.total.carries]);
    expect([...rank].sort((a, b) => a[0]! - b[0]! || a[1]! - b[1]! || a[2]! - b[2]!)).toEqual(rank);
    expect(ways.some((w) => w.title === 'Without Archiv' && w.plan.loses.files === 20)).toBe(true);
  });

  it('leave unallocated space where it is wanted', async () => {
    const device = await disk(THREE);
    const survey = await surveyDisk(device);
    const { ways } = waysTo(survey, layoutOf(survey), { kind: 'free', id: id(1), bytes: 25 * GIB });
    const [best] = ways;
    const [one, two] = best!.layout.volumes;
    expect(two!.start - endOf(one!)).toBeGreaterThanOrEqual(25 * GIB);
    await run(device, survey, best!.layout);
  });

  it('are none where everything is guarded, and say so', async () => {
    const survey = await surveyDisk(await disk(THREE));
    const guarded = [1, 2, 3].reduce((l, n) => {
      const edited = setGuard(l, id(n), true);
      return edited.ok ? edited.layout : l;
    }, layoutOf(survey));
    const { ways, none } = waysTo(survey, guarded, { kind: 'grow', id: id(1), bytes: GIB });
    expect(ways).toEqual([]);
    expect(none).toMatch(/guarded/);
  });
});

describe('goals', () => {
  const ONE: Partial<RecipeInput> = {
    volumes: [
      { size: '100 MiB', fileSystem: 'fat32', label: 'EFI', role: 'firmware' },
      {
        size: '118 GiB',
        fileSystem: 'ntfs',
        label: 'System',
        role: 'system',
        fill: [files(30, 0.7), { file: 'Windows/System32/kernel.bin', size: '8 MiB' }],
      },
    ] as never,
  };
  const proposed = (survey: Survey, kind: (typeof GOALS)[number], tuning = {}): Proposal & { ok: true } => {
    const proposal = proposeGoal(kind, survey, layoutOf(survey), boundsOf(survey), tuning);
    if (!proposal.ok) throw new Error(proposal.reason);
    return proposal;
  };

  it('fill a plan that can be carried out, and say why these sizes', async () => {
    const survey = await surveyDisk(await disk(ONE));
    const sizes = Object.fromEntries(
      GOALS.filter((g) => g !== 'one').map((kind) => {
        const { layout, why } = proposed(survey, kind);
        expect(derivePlan(survey, layout).steps.length).toBeGreaterThan(3);
        expect(why.join(' ')).toMatch(/GiB/);
        return [kind, layout.volumes.slice(1).map((v) => [v.fileSystem, v.role])];
      }),
    );
    expect(sizes).toEqual({
      'system-data': [
        ['ntfs', 'system'],
        ['ntfs', 'data'],
      ],
      'system-second-data': [
        ['ntfs', 'system'],
        ['ntfs', 'system'],
        ['exfat', 'data'],
      ],
      'system-root-swap-data': [
        ['ntfs', 'system'],
        ['ext4', 'system'],
        ['swap', 'swap'],
        ['exfat', 'data'],
      ],
      equal: [
        ['ntfs', 'system'],
        ['ntfs', 'data'],
      ],
      purposes: [
        ['ntfs', 'system'],
        ['exfat', 'data'],
        ['fat32', 'data'],
        ['fat32', 'data'],
      ],
    });
  });

  it('keep headroom for a system, and follow what is tuned', async () => {
    const survey = await surveyDisk(await disk(ONE));
    const [, system] = proposed(survey, 'system-data').layout.volumes;
    expect(system!.length).toBe(55 * GIB);
    expect(headroomAdvice(survey, system!)).toBeUndefined();
    const tight = proposed(survey, 'system-data', { keep: 36 * GIB }).layout.volumes[1]!;
    expect(headroomAdvice(survey, tight)).toMatch(/updates/);
    expect(proposed(survey, 'equal', { count: 4 }).layout.volumes).toHaveLength(5);
    expect(proposeGoal('equal', survey, layoutOf(survey), boundsOf(survey), { count: 40 })).toMatchObject({
      ok: false,
    });
  });

  it('put everything into one volume only where no files are lost', async () => {
    const device = await disk(ONE);
    const survey = await surveyDisk(device);
    const two = await run(device, survey, proposed(survey, 'system-data').layout);
    const back = proposed(two, 'one');
    const after = await run(device, two, back.layout);
    expect(after.volumes.map((v) => [v.start, v.files])).toEqual(survey.volumes.map((v) => [v.start, v.files]));
    expect(after.volumes[1]!.length).toBeGreaterThanOrEqual(survey.volumes[1]!.length);
    const full = await surveyDisk(await disk(THREE));
    expect(proposeGoal('one', full, layoutOf(full), boundsOf(full))).toMatchObject({
      ok: false,
      reason: expect.stringMatching(/holds 20 files, .* would be lost/),
    });
  });

  it('never propose what can’t be carried out, whatever is tuned', async () => {
    const survey = await surveyDisk(await disk(ONE));
    const layout = layoutOf(survey);
    const tuning = fc.record(
      {
        keep: fc.integer({ min: 0, max: 130 * GIB }),
        second: fc.integer({ min: 0, max: 100 * GIB }),
        count: fc.integer({ min: 0, max: 18 }),
        purposes: fc.array(fc.constantFrom(...PURPOSES), { maxLength: 5 }),
      },
      { requiredKeys: [] },
    );
    fc.assert(
      fc.property(fc.constantFrom(...GOALS), tuning, (kind, tuned) => {
        const proposal = proposeGoal(kind, survey, layout, boundsOf(survey), tuned);
        if (proposal.ok) expect(derivePlan(survey, proposal.layout).loses.bytes).toBe(0);
        else expect(proposal.reason.length).toBeGreaterThan(10);
      }),
    );
  });
});

describe('advice', () => {
  it('names a file system for each purpose, and warns of files it can’t hold', () => {
    const demands = { size: 20 * GIB, sectorSize: 512 };
    expect(PURPOSES.map((p) => adviseFileSystem(p, demands)[0]!.kind)).toEqual([
      'ntfs',
      'exfat',
      'exfat',
      'fat32',
      'exfat',
      'fat32',
      'fat32',
    ]);
    expect(adviseFileSystem('camera', { ...demands, size: 100 * GIB })[0]!.kind).toBe('exfat');
    const film = adviseFileSystem('television', { ...demands, largestFile: 5 * GIB });
    expect(film[0]!.kind).toBe('exfat');
    expect(film.at(-1)).toMatchObject({ kind: 'fat32', against: [expect.stringMatching(/5 GiB is there/)] });
  });

  it('counts slack as a plain sum would, and space by folder', async () => {
    const sizes = fc.array(fc.tuple(fc.constantFrom('a', 'b/c', 'b/d/e'), fc.nat(300_000)), { maxLength: 60 });
    await fc.assert(
      fc.asyncProperty(sizes, async (list) => {
        const walk = (async function* () {
          for (const [i, [folder, size]] of list.entries())
            yield { path: `${folder}/${i}.bin`, kind: 'file' as const, size, times: {}, attributes: [], id: i };
        })();
        const facts = await gatherFacts(walk);
        for (const { clusterSize, bytes } of facts.slack)
          expect(bytes).toBe(list.reduce((sum, [, s]) => sum + Math.ceil(s / clusterSize) * clusterSize - s, 0));
        const of = (path: string): number => facts.folders.find((f) => f.path === path)?.bytes ?? 0;
        expect(of('b')).toBe(of('b/c') + of('b/d'));
        expect(of('a') + of('b')).toBe(facts.bytes);
        expect(facts.largest?.bytes ?? 0).toBe(Math.max(0, ...list.map(([, s]) => s)));
        expect(facts.files).toBe(list.length);
      }),
    );
  });
});
