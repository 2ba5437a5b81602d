/** Runs as the bench shows them, and a disk as it stands there. */
import { CoreError } from '@/core/errors';
import { surveyDisk } from '@/core/inspect';
import { parseTarget, resolveTarget } from '@/core/job';
import { resizeEnd, setLabel, setLetter } from '@/core/layout';
import { derivePlan } from '@/core/plan';
import { MemoryJournal, startRun } from '@/core/run';
import { buildStick, NOW, planFor, SPLIT } from '@/core/run/fixtures/sticks';
import { describe, expect, it, vi } from 'vitest';
import { bench, calls, db, survey, fingerprint, bounds, STICK, withImage, state, jobOf } from './fixtures/bench';

const {
  edit,
  guardDisk,
  look,
  lostWith,
  openBench,
  removeDisk,
  renameDisk,
  reopen,
  resumeRunning,
  rewind,
  startRunning,
  stopRunning,
  undoEdit,
  useBench,
} = bench;

describe('a run', () => {
  async function divided() {
    const disk = await buildStick();
    const { plan } = await planFor(disk, SPLIT);
    const certificate = await startRun(plan, { disk, journal: new MemoryJournal(), now: NOW });
    return { plan, certificate, after: await surveyDisk(disk) };
  }

  it('is followed to its certificate, and the disk begins anew from there', async () => {
    const id = await withImage();
    const { plan, certificate, after } = await divided();
    look({ stage: 'run' });
    const reports: unknown[] = [];
    calls.handlers.run = (_id, _plan, _how, progress) => {
      const report = progress as (p: unknown) => void;
      report({ step: 0, done: 5, total: 10, state: 'working' });
      reports.push(state().runs[id]);
      report({ step: 0, done: 10, total: 10, state: 'done' });
      reports.push(state().runs[id]);
      return certificate;
    };
    calls.handlers.survey = () => after;
    await startRunning(id, plan);
    expect(reports).toMatchObject([{ state: 'running', done: 5 }, { took: [expect.any(Number)] }]);
    expect(state().runs[id]).toMatchObject({ state: 'finished', certificate: { proven: true } });
    expect(state().stage).toBe('prove');
    expect(jobOf(id).now.volumes).toHaveLength(2);
    expect(jobOf(id).before!.volumes).toHaveLength(1);
  });

  it('is begun and stopped once, however often that is pressed, and edits wait for its end', async () => {
    const id = await withImage();
    const { plan, certificate, after } = await divided();
    let begun = 0;
    let finish = (_: unknown): void => undefined;
    calls.handlers.run = () => ((begun += 1), new Promise((resolve) => (finish = resolve)));
    calls.handlers.stop = () => undefined;
    calls.handlers.survey = () => after;
    const running = [startRunning(id, plan), startRunning(id, plan), startRunning(id, plan)];
    expect(begun).toBe(1);
    expect(state().runs[id]).toMatchObject({ state: 'running' });
    expect(edit(id, (l) => resizeEnd(l, bounds, l.volumes[0]!.id, 20 << 20))).toBeUndefined();
    undoEdit(id);
    await resumeRunning(id);
    finish(certificate);
    await Promise.all(running);
    expect(state().runs[id]).toMatchObject({ state: 'finished' });
    await stopRunning(id);
    expect(state().runs[id]).toMatchObject({ state: 'finished' });
  });

  it('that is refused before it begins is no run', async () => {
    const id = await withImage();
    const { plan } = await divided();
    look({ stage: 'run' });
    calls.handlers.run = () => {
      throw new CoreError('run.changed', { reason: 'it has 2 volumes instead of 1' });
    };
    await startRunning(id, plan);
    expect(state().runs[id]).toBeUndefined();
    expect(state()).toMatchObject({
      stage: 'review',
      problem: expect.stringContaining('2 volumes instead of 1') as string,
    });
  });

  it('that ended while the page was loaded anew keeps its letters and what was before', async () => {
    const id = await withImage();
    const { plan, certificate, after } = await divided();
    const { layout } = resolveTarget(survey, parseTarget(SPLIT));
    edit(id, () => ({ ok: true, layout, name: 'split', notes: [] }));
    edit(id, (l) => setLetter(l, l.volumes[1]!.id, 'K'));
    await vi.waitFor(async () => expect(JSON.stringify((await db.jobs.get(id))?.state)).toContain('"letter":"K"'));
    useBench.setState({ disks: [], jobs: {}, runs: {} });
    calls.handlers.openImage = () => ({ survey: after, fingerprint });
    calls.handlers.runStatus = () => ({ plan, next: plan.steps.length, started: NOW(), certificate });
    await openBench();
    await reopen(id, STICK);
    expect(state().runs[id]).toMatchObject({ state: 'finished' });
    expect(jobOf(id).now.volumes.map((v) => v.letter)).toEqual([undefined, 'K']);
    expect(jobOf(id).before!.volumes).toHaveLength(1);
  });

  it('whose journal can’t be read is told of, and can be put back', async () => {
    const id = await withImage();
    calls.handlers.runStatus = () => {
      throw new CoreError('journal.version', { version: 1 });
    };
    useBench.setState(({ disks }) => ({ disks: disks.map((d) => ({ ...d, status: 'wanted' as const })) }));
    await reopen(id, STICK);
    expect(state().disks[0]).toMatchObject({ status: 'open', stuck: expect.stringContaining('version 1') as string });
    calls.handlers.rewind = () => survey;
    calls.handlers.waysBack = () => [];
    await rewind(id);
    expect(state().disks[0]!.stuck).toBeUndefined();
  });

  it('that is stopped or fails can be resumed, and rewound', async () => {
    const id = await withImage();
    const { plan, certificate, after } = await divided();
    calls.handlers.run = () => {
      throw new CoreError('run.stopped', { step: 1 });
    };
    calls.handlers.runStatus = () => ({ plan, next: 1, started: NOW(), certificate: undefined });
    calls.handlers.survey = () => survey;
    await startRunning(id, plan);
    expect(state().runs[id]).toMatchObject({ state: 'stopped' });
    calls.handlers.resume = () => {
      throw new CoreError('storage.full', { wanted: 5 });
    };
    await resumeRunning(id);
    expect(state().runs[id]).toMatchObject({
      state: 'failed',
      error: expect.stringContaining('storage is full') as string,
    });
    calls.handlers.resume = () => certificate;
    calls.handlers.survey = () => after;
    await resumeRunning(id);
    expect(state().runs[id]!.state).toBe('finished');
    calls.handlers.rewind = () => survey;
    calls.handlers.waysBack = () => [];
    await rewind(id);
    expect(state().runs[id]).toBeUndefined();
    expect(jobOf(id).now.volumes).toHaveLength(1);
    expect(derivePlan(survey, jobOf(id).history.present).steps).toEqual([]);
  });
});

describe('a disk as it stands on the bench', () => {
  it('has the name it is given, kept, and told to the engine', async () => {
    const id = await withImage();
    const told: unknown[] = [];
    calls.handlers.rename = (...args) => void told.push(args);
    await renameDisk(id, '  Till of the shop ');
    await renameDisk(id, '   ');
    expect(state().disks[0]!.stored.name).toBe('Till of the shop');
    expect((await db.disks.get(id))?.name).toBe('Till of the shop');
    expect(told).toEqual([[id, 'Till of the shop']]);
  });

  it('is not changed, run on, rewound or taken away while it is guarded, and that is said', async () => {
    const id = await withImage();
    await guardDisk(id, true);
    expect(edit(id, (layout) => setLabel(layout, layout.volumes[0]!.id, 'X'))).toBeUndefined();
    expect(state().refusal?.reason).toContain('guarded as a whole');
    for (const act of [() => startRunning(id, {} as never), () => rewind(id), () => removeDisk(id)]) {
      useBench.setState({ problem: undefined });
      await act();
      expect(state().problem).toContain('guarded as a whole');
    }
    expect(state().disks).toHaveLength(1);
    await guardDisk(id, false);
    expect(edit(id, (layout) => setLabel(layout, layout.volumes[0]!.id, 'X'))).toMatchObject({ ok: true });
  });

  it('is taken away with what that loses told', async () => {
    const id = await withImage();
    expect(lostWith(id)).toEqual(['The image file stays where it is, as it was.']);
    edit(id, (layout) => setLabel(layout, layout.volumes[0]!.id, 'X'));
    expect(lostWith(id)).toContain('Its plan, with 1 change.');
    const stored = { id: 'described-1', name: 'D', order: 1, source: { kind: 'practice', recipe: {} } } as never;
    useBench.setState({ disks: [{ stored, status: 'open' }] });
    expect(lostWith('described-1')).toEqual(['The practice disk itself: it is nowhere else.']);
  });
});
