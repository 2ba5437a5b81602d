import 'fake-indexeddb/auto';
import type { Survey } from '@/core/inspect';
import { layoutOf, surveyDisk } from '@/core/inspect';
import { beginHistory, type LaidVolume } from '@/core/layout';
import { buildStick } from '@/core/run/fixtures/sticks';
import { useBench, type Current } from '@/state';
import { MIB } from '@/core/size';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { weigh } from './CommandList';
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

  it('label, letter, make and split by what is typed', () => {
    run('Label A FERNS', 'label FERNS');
    expect(planned().volumes[0]!.label).toBe('FERNS');
    useBench.setState({ jobs: { d: current.job! } });
    run('Give A the letter Q', 'letter q');
    expect(planned().volumes[0]!.letter).toBe('Q');
    useBench.setState({ jobs: { d: current.job! } });
    run('Split A: it keeps 10 MiB', 'split 10 MiB');
    expect(planned().volumes[0]!.length).toBe(10 * MIB);
    useBench.setState({ jobs: { d: current.job! } });
    run('Remove A');
    const { history } = useBench.getState().jobs.d!;
    const after = { ...current, job: { ...current.job!, history } };
    const made = planCommands(after, history.present.volumes[0], 'new 8 MiB Moss').find((c) => c.group === 'typed');
    expect(made?.name).toBe('New volume of 8 MiB, Moss');
    made!.act();
    expect(planned().volumes.map((v) => [v.label, v.length / MIB])).toEqual([
      ['Moss', 8],
      ['B', survey.volumes[1]!.length / MIB],
    ]);
    expect(planCommands(after, history.present.volumes[0], 'new 800 GiB').some((c) => c.group === 'typed')).toBe(false);
  });

  it('come with the volume in hand before everything else but what was typed, and with their keys', () => {
    const groups = planCommands(current, selected, '9 MiB').map((c) => c.group);
    expect(groups.slice(0, 2)).toEqual(['typed', 'volume']);
    expect(groups.indexOf('plan')).toBeGreaterThan(groups.lastIndexOf('volume'));
    expect(planCommands(current, selected, '').find((c) => c.name === 'Make A bigger…')?.keys).toBe('B');
  });

  it('are found by other words, and by their own first', () => {
    expect(weigh('Remove A', 'delete', ['delete drop erase'])).toBeGreaterThan(0);
    expect(weigh('Remove A', 'a remove')).toBeGreaterThan(weigh('Remove A', 'delete a', ['delete drop']));
    expect(weigh('Remove A', 'remove a')).toBe(1);
    expect(weigh('Remove A', 'extend', ['delete drop erase'])).toBe(0);
  });

  it('open helpers in Divide', () => {
    useBench.setState({ stage: 'look' });
    run('Make A bigger…');
    expect(useBench.getState()).toMatchObject({ stage: 'divide', asking: { kind: 'ways', wish: 'grow' } });
    run('Make room behind A…');
    expect(useBench.getState().asking).toEqual({ kind: 'ways', wish: 'free' });
  });
});
