import { layoutOf, surveyDisk } from '@/core/inspect';
import { derivePlan } from '@/core/plan';
import { buildStick } from '@/core/run/fixtures/sticks';
import { describe, expect, it } from 'vitest';
import { coursesByVolume } from './by-volume';

const MIB = 1024 * 1024;
const fill = [{ folder: 'f', count: 4, name: '{n}.bin', smallest: '90 KiB', largest: '90 KiB' }];
const volume = (label: string): object => ({ size: '8 MiB', fileSystem: 'fat12', label, fill });

async function moved() {
  const disk = await buildStick({ table: 'gpt', size: '40 MiB', volumes: [volume('STAYS'), volume('GOES')] as never });
  const survey = await surveyDisk(disk);
  const now = layoutOf(survey);
  const volumes = now.volumes.map((v) => (v.label === 'GOES' ? { ...v, start: 24 * MIB } : v));
  const planned = { ...now, volumes };
  const { steps } = derivePlan(survey, planned);
  const at = (step: number, share = 0) => {
    const all = coursesByVolume(steps, now, planned, { step, share });
    return Object.fromEntries(planned.volumes.map((v) => [v.label, all.get(v.id)!]));
  };
  return { at, kinds: steps.map((s) => `${s.kind} ${s.name}`), count: steps.length };
}

describe('a run by volume', () => {
  it('fills what is carried of a volume, and marks each by its own check and proof', async () => {
    const { at, kinds, count } = await moved();
    const carry = kinds.indexOf('carry GOES');
    expect(at(0)).toEqual({
      STAYS: { checked: 'going', proven: 'waiting' },
      GOES: { checked: 'waiting', proven: 'waiting', carried: 0 },
    });
    expect(at(carry, 0.4)).toMatchObject({ STAYS: { checked: 'done' }, GOES: { checked: 'done', carried: 0.4 } });
    expect(at(carry, 0.4).STAYS).not.toHaveProperty('carried');
    expect(at(kinds.indexOf('prove STAYS'))).toMatchObject({ STAYS: { proven: 'going' }, GOES: { carried: 1 } });
    expect(at(count)).toMatchObject({ STAYS: { proven: 'done' }, GOES: { proven: 'done', carried: 1 } });
  });
});
