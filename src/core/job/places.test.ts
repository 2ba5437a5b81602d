import { surveyDisk, type Survey } from '@/core/inspect';
import { buildStick } from '@/core/run/fixtures/sticks';
import { MIB } from '@/core/size';
import { beforeAll, describe, expect, it } from 'vitest';
import { parseTarget, resolveTarget, type TargetInput } from '.';

let survey: Survey;
beforeAll(async () => {
  const volumes = ['A', 'B', 'C'].map((label) => ({ size: '8 MiB', fileSystem: 'fat12', label }));
  survey = await surveyDisk(await buildStick({ volumes }));
});

/** Number or `new`, start and length in MiB. */
const places = (volumes: TargetInput['volumes']): unknown[] =>
  resolveTarget(survey, parseTarget({ volumes })).layout.volumes.map((v) => [
    v.origin.kind === 'kept' ? v.origin.number : 'new',
    v.start / MIB,
    v.length / MIB,
  ]);

describe('where the volumes of a target go', () => {
  it('is where they are, while the order is the same and nothing reaches there', () => {
    expect(places([{ keep: 1, size: '6 MiB' }, { keep: 2 }, { keep: 3 }])).toEqual([
      [1, 1, 6],
      [2, 9, 8],
      [3, 17, 8],
    ]);
  });

  it('is behind what stands before them, where that reaches further or a gap says so', () => {
    expect(places([{ keep: 1, size: '12 MiB' }, { keep: 2 }, { keep: 3 }])).toEqual([
      [1, 1, 12],
      [2, 13, 8],
      [3, 21, 8],
    ]);
    expect(places([{ keep: 1, size: '4 MiB' }, { gap: '1 MiB' }, { keep: 2 }, { keep: 3 }])[1]).toEqual([2, 6, 8]);
    expect(places([{ gap: '5 MiB' }, { keep: 1 }, { keep: 2 }, { keep: 3 }])[0]).toEqual([1, 6, 8]);
  });

  it('follows the order of the target', () => {
    expect(places([{ keep: 3 }, { keep: 1 }, { keep: 2 }])).toEqual([
      [3, 1, 8],
      [1, 9, 8],
      [2, 17, 8],
    ]);
  });

  it('may be said exactly, but not before what stands there', () => {
    expect(places([{ keep: 1 }, { keep: 2, start: '12 MiB' }, { keep: 3, start: '30 MiB' }])).toEqual([
      [1, 1, 8],
      [2, 12, 8],
      [3, 30, 8],
    ]);
    expect(() => places([{ keep: 1 }, { keep: 2, start: '5 MiB' }, { keep: 3 }])).toThrow(/before/);
  });

  it('leaves to “rest” what is left up to a volume that stays, else up to the end', () => {
    expect(
      places([{ keep: 1, size: '4 MiB' }, { create: 'fat12', size: 'rest' }, { keep: 2 }, { keep: 3 }])[1],
    ).toEqual(['new', 5, 4]);
    expect(places([{ create: 'fat12', size: 'rest' }, { keep: 2 }, { keep: 1 }, { keep: 3 }])[0]).toEqual([
      'new',
      1,
      23,
    ]);
  });
});
