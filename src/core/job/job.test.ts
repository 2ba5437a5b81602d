import { inspectDocument, surveyDisk } from '@/core/inspect';
import { buildStick } from '@/core/run/fixtures/sticks';
import { describe, expect, it } from 'vitest';
import { parseTarget, resolveTarget, type TargetInput } from '.';

const MIB = 1024 * 1024;
const survey = await surveyDisk(await buildStick());
const resolve = (target: TargetInput) => resolveTarget(survey, parseTarget(target));

describe('a target', () => {
  it('reads sizes in the grammar and tells its rounding', () => {
    const { layout, notes } = resolve({
      volumes: [{ keep: 1, size: '20 MB' }, { gap: '1 MiB' }, { create: 'fat12', size: 'half' }],
    });
    expect(layout.volumes.map((v) => [v.start / MIB, v.length / MIB])).toEqual([
      [1, 19],
      [21, 24],
    ]);
    expect(notes).toHaveLength(1);
    expect(notes[0]).toContain('20 MB is rounded to 19 MiB');
  });

  it('fills the rest up to what stands behind it', () => {
    const { layout } = resolve({
      volumes: [
        { keep: 1, size: '20 MiB' },
        { create: 'fat16', size: 'rest' },
        { create: 'fat12', size: '4 MiB' },
      ],
    });
    expect(layout.volumes.map((v) => [v.start / MIB, v.length / MIB])).toEqual([
      [1, 20],
      [21, 23],
      [44, 4],
    ]);
  });

  it.each<[string, unknown]>([
    ['an unknown key', { volumes: [], extra: 1 }],
    ['a volume that is not there', { volumes: [{ keep: 1 }, { keep: 2 }] }],
    ['a volume kept twice', { volumes: [{ keep: 1 }, { keep: 1 }] }],
    ['a volume neither kept nor removed', { volumes: [] }],
    ['a volume kept and removed', { volumes: [{ keep: 1 }], remove: [1] }],
    [
      'two rests',
      {
        volumes: [
          { keep: 1, size: 'rest' },
          { create: 'fat16', size: 'rest' },
        ],
      },
    ],
    [
      'an unknown file system',
      {
        volumes: [
          { keep: 1, size: '20 MiB' },
          { create: 'fat99', size: '4 MiB' },
        ],
      },
    ],
    ['a size that is none', { volumes: [{ keep: 1, size: 7 }] }],
  ])('is refused for %s', (_name, target) => {
    expect(() => resolveTarget(survey, parseTarget(target))).toThrowError(
      expect.objectContaining({ code: 'target.invalid' }),
    );
  });
});

describe('documents', () => {
  it('describe a disk in plain JSON', () => {
    const document = inspectDocument(survey);
    expect(JSON.parse(JSON.stringify(document))).toEqual(document);
    expect(document.volumes[0]).toMatchObject({
      number: 1,
      start: MIB,
      fileSystem: 'fat16',
      label: 'STICK',
      files: 53,
    });
    expect(document.volumes[0]!.floor!.bytes).toBeLessThan(20 * MIB);
  });
});
