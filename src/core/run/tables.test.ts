/** Tables of every kind, from recipe to run: logical volumes, conversions, mended copies, every file the same. */
import { surveyDisk, type Survey } from '@/core/inspect';
import { parseTarget, resolveTarget, type TargetInput } from '@/core/job';
import { derivePlan } from '@/core/plan';
import type { RecipeInput } from '@/core/practice';
import type { MemoryDevice } from '@/core/device';
import { MemoryJournal, startRun } from '.';
import { buildStick, NOW } from './fixtures/sticks';
import { describe, expect, it } from 'vitest';

const FILL = [{ folder: 'f', count: 6, name: '{word} {n}.txt', smallest: '1 KiB', largest: '30 KiB' }];
const volume = (label: string, more: object = {}) => ({
  size: '5 MiB',
  fileSystem: 'fat12',
  label,
  fill: FILL,
  ...more,
});
const disk = (table: 'mbr' | 'gpt', labels: string[], more: Partial<RecipeInput> = {}): Promise<MemoryDevice> =>
  buildStick({ size: '64 MiB', table, volumes: labels.map((l) => volume(l)), ...more });

async function run(
  device: MemoryDevice,
  target: TargetInput,
): Promise<{ survey: Survey; notes: readonly string[]; words: string[] }> {
  const before = await surveyDisk(device);
  const { layout, notes } = resolveTarget(before, parseTarget(target));
  const plan = derivePlan(before, layout);
  const certificate = await startRun(plan, { disk: device, journal: new MemoryJournal(), now: NOW, alwaysBytes: true });
  const keeps = plan.steps.some((step) => step.kind === 'prove');
  expect(certificate.outcome).toBe(keeps ? 'proven' : 'nothing kept');
  const survey = await surveyDisk(device);
  expect(survey.findings).toEqual([]);
  return { survey, notes, words: [...certificate.steps] };
}

const labels = (survey: Survey): string[] =>
  survey.volumes.map((v) => `${v.info?.label}${v.logical ? ' logical' : ''}`);

describe('a master boot record', () => {
  it('takes logical volumes into a container that comes and goes with them', async () => {
    const device = await disk('mbr', ['A', 'B', 'C']);
    const made = await run(device, {
      volumes: [
        { keep: 1 },
        { keep: 2 },
        { keep: 3 },
        { create: 'fat12', size: '6 MiB', label: 'D' },
        { create: 'fat12', size: '6 MiB', label: 'E' },
      ],
    });
    expect(labels(made.survey)).toEqual(['A', 'B', 'C', 'D logical', 'E logical']);
    expect(made.notes.join(' ')).toMatch(/D is logical: the table has 4 entries/);
    const gone = await run(device, { volumes: [{ keep: 1 }, { keep: 2 }, { keep: 3 }], remove: [4, 5] });
    expect(labels(gone.survey)).toEqual(['A', 'B', 'C']);
    expect(gone.survey.partitions).not.toHaveProperty('container');
  });

  it('turns a kept volume logical when a fifth comes, without moving it', async () => {
    const device = await disk('mbr', ['A', 'B', 'C', 'D']);
    const { survey, words } = await run(device, {
      volumes: [
        { keep: 1 },
        { keep: 2 },
        { keep: 3, size: '4 MiB' },
        { keep: 4 },
        { create: 'fat12', size: '8 MiB', label: 'E' },
      ],
    });
    expect(labels(survey)).toEqual(['A', 'B', 'C', 'D logical', 'E logical']);
    expect(words).toContain('Write the partition table');
  });

  it('keeps logical volumes when their neighbours go, and when they grow', async () => {
    const sixteen = { size: '7 MiB', fileSystem: 'fat16', clusterSize: 1024 };
    const device = await disk('mbr', [], { volumes: [...'ABCDEF'].map((l) => volume(l, sixteen)) });
    expect(labels(await surveyDisk(device))).toEqual(['A', 'B', 'C', 'D logical', 'E logical', 'F logical']);
    const { survey } = await run(device, {
      volumes: [{ keep: 1 }, { keep: 2 }, { keep: 3 }, { keep: 5 }, { keep: 6, size: '9 MiB' }],
      remove: [4],
    });
    expect(labels(survey)).toEqual(['A', 'B', 'C', 'E logical', 'F logical']);
  });

  it('refuses what needs an entry of its own when there is none, and says why', async () => {
    const device = await disk('mbr', ['A', 'B', 'C', 'D', 'E']);
    const survey = await surveyDisk(device);
    const created = [1, 2, 3, 4].map(() => ({ create: 'fat12', size: '4 MiB', placement: 'primary' as const }));
    const target = parseTarget({ volumes: [...[1, 2, 3, 4, 5].map((keep) => ({ keep })), ...created] });
    expect(() => resolveTarget(survey, target)).toThrowError(/has 4 entries/);
  });
});

describe('a conversion', () => {
  it('to a GUID table and back keeps every volume, logical ones too', async () => {
    const device = await disk('mbr', ['A', 'B', 'C', 'D', 'E']);
    const keep = [1, 2, 3, 4, 5].map((n) => ({ keep: n }));
    const there = await run(device, { table: 'gpt', volumes: keep });
    expect(there.survey.table).toBe('gpt');
    expect(labels(there.survey)).toEqual(['A', 'B', 'C', 'D', 'E']);
    expect(there.words).toContain('Convert the master boot record to a GUID table');
    const back = await run(device, { table: 'mbr', volumes: keep });
    expect(labels(back.survey)).toEqual(['A', 'B', 'C', 'D logical', 'E logical']);
  });

  it('makes room for the copy at the end by shrinking the last volume', async () => {
    const device = await buildStick();
    const { survey, notes } = await run(device, { table: 'gpt', volumes: [{ keep: 1 }] });
    expect(survey.table).toBe('gpt');
    expect(notes.join(' ')).toMatch(/earlier, for the copy of the table/);
  });

  it('to a table of its own kind, with sectors of 4096 bytes too', async () => {
    const device = await disk('gpt', ['A', 'B'], {
      sectorSize: 4096,
      size: '96 MiB',
      volumes: [volume('A'), volume('B')].map((v) => ({ ...v, size: '20 MiB', fileSystem: 'ntfs' })),
    });
    const there = await run(device, {
      table: 'mbr',
      volumes: [{ keep: 1 }, { keep: 2 }, { create: 'ntfs', size: '20 MiB', label: 'C' }],
    });
    expect([there.survey.table, ...labels(there.survey)]).toEqual(['mbr', 'A', 'B', 'C']);
  });
});

describe('a GUID table', () => {
  it('gives, keeps and frees entries, with flags and names', async () => {
    const device = await disk('gpt', ['A', 'B', 'C'], {
      volumes: [volume('A', { tableName: 'first' }), volume('B', { role: 'recovery' }), volume('C')],
    });
    const before = await surveyDisk(device);
    expect(before.volumes.map((v) => [v.name, v.role, v.flags])).toEqual(
      [
        ['', 'data', []],
        ['', 'recovery', ['required', 'no-letter']],
        ['', 'data', []],
      ].map((row, i) => (i === 0 ? ['first', ...row.slice(1)] : row)),
    );
    const { survey } = await run(device, {
      volumes: [{ keep: 1, flags: ['read-only'] }, { create: 'fat12', size: '5 MiB', label: 'N' }, { keep: 3 }],
      remove: [2],
    });
    expect(labels(survey)).toEqual(['A', 'N', 'C']);
    expect(survey.volumes[0]).toMatchObject({ guid: before.volumes[0]!.guid, flags: ['read-only'], name: 'first' });
    expect(survey.volumes[2]!.guid).toBe(before.volumes[2]!.guid);
    expect(survey.volumes[1]!.guid).not.toBe(before.volumes[1]!.guid);
  });

  it('with a damaged copy is mended as a step of its own', async () => {
    const device = await disk('gpt', ['A']);
    device.buffer.fill(0, 512, 1024);
    expect((await surveyDisk(device)).findings.map((f) => f.code)).toEqual(['gpt.primary']);
    const { words } = await run(device, { mendTable: true, volumes: [{ keep: 1 }] });
    expect(words).toEqual(['Check A and read its files', 'Write the partition table', 'Prove A: compare every file']);
  });
});

describe('a blank disk', () => {
  it.each(['mbr', 'gpt'] as const)('is given a new %s and volumes at once', async (table) => {
    const device = await buildStick({ table: 'none', volumes: [] });
    const { survey } = await run(device, {
      table,
      volumes: [
        { create: 'fat16', size: 'half', label: 'ONE' },
        { create: 'ntfs', size: 'rest', label: 'two' },
      ],
    });
    expect([survey.table, ...labels(survey)]).toEqual([table, 'ONE', 'two']);
  });
});
