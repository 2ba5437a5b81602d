import { surveyDisk, type Survey } from '@/core/inspect';
import { boundsOf, layoutOf } from '@/core/inspect';
import { convertTable, setActive, setLetter, type Edited, type Layout } from '@/core/layout';
import { buildStick } from '@/core/run/fixtures/sticks';
import { describe, expect, it } from 'vitest';
import { afterOf } from './after';

const done = (edited: Edited): Layout => {
  if (!edited.ok) throw new Error(edited.reason);
  return edited.layout;
};

async function diskWith(table: 'mbr' | 'gpt'): Promise<{ survey: Survey; layout: Layout }> {
  const volumes = ['A', 'B'].map((label, i) => ({
    size: '8 MiB',
    fileSystem: 'fat12',
    label,
    active: i === 0 && table === 'mbr',
  }));
  const survey = await surveyDisk(await buildStick({ table, volumes }));
  let layout = layoutOf(survey);
  for (const [i, volume] of layout.volumes.entries()) layout = done(setLetter(layout, volume.id, 'EF'[i]));
  return { survey, layout };
}

describe('what must be set again', () => {
  it.each(['mbr', 'gpt'] as const)('is nothing when nothing is moved, on a %s', async (table) => {
    const { survey, layout } = await diskWith(table);
    expect(afterOf(survey, layout)).toEqual([]);
  });

  it.each([
    ['mbr', 'gpt', /GUID table to the volume’s own GUID/, /start by UEFI/],
    ['gpt', 'mbr', /which a master boot record does not have/, undefined],
  ] as const)('is every letter after a conversion from %s to %s', async (from, to, why, start) => {
    const { survey, layout } = await diskWith(from);
    const lines = afterOf(survey, done(convertTable(layout, boundsOf(survey), to)));
    expect(lines.filter((l) => why.test(l))).toHaveLength(2);
    if (start) expect(lines.some((l) => start.test(l))).toBe(true);
  });

  it('is told when another volume is active, or none', async () => {
    const { survey, layout } = await diskWith('mbr');
    const [first, second] = layout.volumes;
    expect(afterOf(survey, done(setActive(layout, second!.id, true)))).toEqual([
      expect.stringMatching(/Another volume is active/),
    ]);
    expect(afterOf(survey, done(setActive(layout, first!.id, false)))).toEqual([
      expect.stringMatching(/No volume is active/),
    ]);
  });

  it('is the letter of every new volume', async () => {
    const { survey, layout } = await diskWith('gpt');
    const [first, ...rest] = layout.volumes;
    const fresh = { ...first!, origin: { kind: 'new' as const } };
    expect(afterOf(survey, { ...layout, volumes: [fresh, ...rest] })).toEqual([
      expect.stringMatching(/Set the letter E for A .* the volume is new/),
    ]);
  });
});
