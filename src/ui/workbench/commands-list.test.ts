import 'fake-indexeddb/auto';
import type { Survey } from '@/core/inspect';
import { layoutOf, surveyDisk } from '@/core/inspect';
import { beginHistory, type LaidVolume } from '@/core/layout';
import { buildStick } from '@/core/run/fixtures/sticks';
import { useBench, type Current } from '@/state';
import { MIB } from '@/core/size';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { generalCommands, planCommands } from './commands-list';

vi.mock('@/engine', async () => {
  const { Database } = await import('@/engine/database');
  return { Database, engine: vi.fn(), listener: vi.fn(), onEngineDeath: vi.fn() };
});

let survey: Survey;
let current: Current;
let selected: LaidVolume;

beforeEach(async () => {
  const volumes = ['A', 'B'].map((label) => ({ size: '16 MiB', fileSystem: 'fat12', label }));
  survey = await surveyDisk(await buildStick({ volumes }));
  const now = layoutOf(survey);
  const job = { version: 2 as const, now, history: beginHistory(now) };
  const stored = { id: 'd', name: 'Potting shed', order: 0, source: { kind: 'practice', recipe: {} } };
  const disk = { stored: stored as never, status: 'open' as const, survey };
  current = { id: 'd', disk, job, run: undefined };
  selected = now.volumes[0]!;
  useBench.setState({ disks: [disk], jobs: { d: job }, currentId: 'd', stage: 'divide', readOnly: false });
});

const run = (name: string, text = ''): void => {
  const found = planCommands(current, selected, text).find((c) => c.name === name);
  if (!found) throw new Error(`no command ${name}`);
  found.act();
};
const planned = () => useBench.getState().jobs.d!.history.present;

describe('commands', () => {
  it('are there for stages, disks and themes', () => {
    const names = generalCommands(useBench.getState().disks, current, () => undefined).map((c) => c.name);
    expect(names).toContain('Go to Review');
    expect(names).toContain('Take Potting shed in hand');
    expect(generalCommands([], undefined, () => undefined).some((c) => c.name === 'Go to Review')).toBe(false);
  });

  it('resize to a size that is typed, alone or in a sentence', () => {
    run('Resize A to 12 MiB', '12 MiB');
    expect(planned().volumes[0]!.length).toBe(12 * MIB);
    expect(planCommands(current, selected, 'resize a to 9 MiB')[0]).toBeDefined();
    expect(planCommands(current, selected, 'resize a to 9 MiB').some((c) => c.name === 'Resize A to 9 MiB')).toBe(true);
    expect(planCommands(current, selected, 'remove').some((c) => c.name.startsWith('Resize'))).toBe(false);
  });

  it('resize to a share of the room that the volume has, as its size field does', () => {
    const last = survey.volumes.length - 1;
    const names = planCommands(current, layoutOf(survey).volumes[last], 'resize b to 50 %').map((c) => c.name);
    expect(names).toContain('Resize B to 15.5 MiB');
  });

  it('split, reorder, guard and remove', () => {
    run('Put A last');
    expect(planned().volumes.map((v) => v.label)).toEqual(['B', 'A']);
    useBench.setState({ jobs: { d: current.job! } });
    run('Split A in 2 equal parts');
    expect(planned().volumes.map((v) => v.label)).toEqual(['A', '', 'B']);
    useBench.setState({ jobs: { d: current.job! } });
    run('Guard A');
    expect(planned().volumes[0]!.guarded).toBe(true);
    useBench.setState({ jobs: { d: current.job! } });
    run('Remove A');
    expect(planned().volumes.map((v) => v.label)).toEqual(['B']);
  });

  it('open helpers in Divide', () => {
    useBench.setState({ stage: 'look' });
    run('Make A bigger…');
    expect(useBench.getState()).toMatchObject({ stage: 'divide', asking: { kind: 'ways', wish: 'grow' } });
    run('Make room behind A…');
    expect(useBench.getState().asking).toEqual({ kind: 'ways', wish: 'free' });
  });
});
