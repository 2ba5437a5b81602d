/** What a plan does to each volume, in words and in room, where files go from volume to volume. */
import { layoutOf, surveyDisk } from '@/core/inspect';
import { changesBetween } from '@/core/layout';
import { derivePlan } from '@/core/plan';
import { planned, twoVolumes } from '@/core/run/fixtures/two-volumes';
import type { TargetInput } from '@/core/job';
import { describe, expect, it } from 'vitest';
import { changeWords, freeThen } from '.';

async function told(input: TargetInput, old?: string) {
  const disk = await twoVolumes('ntfs', 'exfat', 8, 4);
  const others = new Map(old ? [[old, await twoVolumes('exfat', 'fat16', 8, 5)]] : []);
  const { plan, survey, layout } = await planned(disk, input, others);
  const used = survey.volumes.map((v) => v.info!.used);
  return changesBetween(layoutOf(survey), layout).volumes.map((row, i) => ({
    words: changeWords(row, layout, false, plan).join(', '),
    more: row.is!.length - freeThen(survey, plan, row.is!) - used[i]!,
    bytes: plan.steps
      .flatMap((s) => (s.kind === 'transfer' && !s.back ? [s.facts.bytes] : []))
      .reduce((a, b) => a + b, 0),
  }));
}

const volumes = [{ keep: 1 }, { keep: 2, as: 'to' }];
const from = (then: 'keep' | 'remove' | 'back', source: object = { volume: 1 }) => ({
  volumes,
  transfers: [{ from: source, folder: 'tree', to: 'to', under: 'deep/tree', then } as never],
});

describe('what happens to volumes between which files go', () => {
  it('is told on both, with the room that is taken and given', async () => {
    const [first, second] = await told(from('remove'));
    expect([first!.words, second!.words]).toEqual(['gives tree away', 'takes tree in']);
    expect([first!.more, second!.more]).toEqual([-first!.bytes, first!.bytes]);
    expect(first!.bytes).toBeGreaterThan(0);
  });

  it('is told on the target alone where they stay, or come from another disk', async () => {
    for (const rows of [await told(from('keep')), await told(from('remove', { disk: 'old', volume: 1 }), 'old')]) {
      expect(rows.map((r) => r.words)).toEqual(['stays as it is', 'takes tree in']);
      expect(rows.map((r) => r.more)).toEqual([0, rows[0]!.bytes]);
    }
  });
});

it('says how many failing places go out of use, on the volume that has them', async () => {
  const disk = await twoVolumes('ntfs', 'exfat', 8, 4);
  const survey = await surveyDisk(disk);
  const now = layoutOf(survey);
  const at = survey.volumes[1]!.start + 8 * 1024 * 1024;
  const failing = { weak: [{ start: at, end: at + 512 }], dead: [] };
  const plan = derivePlan(survey, now, { failing, retireFailing: true });
  const rows = changesBetween(now, now).volumes.map((row) => changeWords(row, now, false, plan));
  expect(rows).toEqual([['stays as it is'], ['1 failing place goes out of use']]);
});
