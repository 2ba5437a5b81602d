import 'fake-indexeddb/auto';
import { CoreError } from '@/core/errors';
import { surveyDisk, type Survey } from '@/core/inspect';
import { resizeEnd, setLabel } from '@/core/layout';
import { derivePlan } from '@/core/plan';
import { MemoryJournal, startRun } from '@/core/run';
import { buildStick, NOW, planFor, SPLIT } from '@/core/run/fixtures/sticks';
import { boundsOf } from '@/core/inspect';
import { beforeEach, describe, expect, it, vi } from 'vitest';

const calls = vi.hoisted(() => ({ handlers: {} as Record<string, (...args: unknown[]) => unknown> }));

vi.mock('@/engine', async () => {
  const { Database } = await import('@/engine/database');
  return {
    Database,
    engine: async (method: string, ...args: unknown[]) => {
      const handler = calls.handlers[method];
      if (!handler) throw new Error(`no answer to ${method}`);
      return handler(...args);
    },
    listener: (callback: unknown) => callback,
    onEngineDeath: () => () => undefined,
  };
});
vi.stubGlobal('navigator', { storage: {} });
vi.stubGlobal('fetch', () => Promise.reject(new Error('no server')));

const { edit, explain, look, openBench, openFile, redoEdit, resumeRunning, rewind, startRunning, undoEdit, useBench } =
  await import('./bench');
const { changesIn } = await import('./selectors');
const { Database } = await import('@/engine/database');
const db = new Database();

const stick = await buildStick();
const survey: Survey = await surveyDisk(stick);
const fingerprint = { name: 'stick.img', size: stick.size, modified: 1, ends: 'x' };
const bounds = boundsOf(survey);

/** A bench with one image on it. */
async function withImage(): Promise<string> {
  calls.handlers = { openImage: () => ({ survey, fingerprint }), runStatus: () => undefined };
  await openFile(new File([], 'stick.img'));
  return useBench.getState().currentId!;
}

const state = () => useBench.getState();
const jobOf = (id: string) => state().jobs[id]!;

beforeEach(async () => {
  await Promise.all([db.disks.clear(), db.jobs.clear(), db.settings.clear()]);
  useBench.setState({
    disks: [],
    jobs: {},
    runs: {},
    currentId: undefined,
    stage: 'bench',
    refusal: undefined,
    problem: undefined,
    note: undefined,
    readOnly: false,
  });
});

describe('the bench', () => {
  it('takes an image on, names it by its file, and keeps it', async () => {
    const id = await withImage();
    expect(state()).toMatchObject({ stage: 'look', disks: [{ status: 'open', stored: { name: 'stick' } }] });
    expect(await db.disks.get(id)).toMatchObject({ source: { kind: 'image', fingerprint } });
  });

  it('says plainly what it can’t open, and keeps nothing of it', async () => {
    calls.handlers = {
      openImage: () => {
        throw new CoreError('image.empty', { name: 'x.img' });
      },
    };
    await openFile(new File([], 'x.img'));
    expect(state()).toMatchObject({ disks: [], problem: 'x.img is empty.' });
    expect(await db.disks.count()).toBe(0);
  });

  it('comes back after a reload with the plan and its history', async () => {
    const id = await withImage();
    edit(id, (l) => resizeEnd(l, bounds, l.volumes[0]!.id, 20 << 20));
    look({ stage: 'divide', units: 'decimal' });
    await vi.waitFor(async () =>
      expect((await db.settings.get('view'))?.value).toMatchObject({ stage: 'divide', units: 'decimal' }),
    );
    const stored = (await db.disks.get(id))!;
    expect(stored.source.kind === 'image' && stored.source.handle).toBeUndefined();
    useBench.setState({ disks: [], jobs: {}, stage: 'bench', currentId: undefined });
    await openBench();
    // Without a handle the file has to be picked again; the job waits for it.
    expect(state().disks[0]!.status).toBe('wanted');
    expect((await db.jobs.get(id))?.state).toMatchObject({ version: 2 });
  });
});

describe('edits', () => {
  it('change the plan, are counted, undone and redone', async () => {
    const id = await withImage();
    expect(changesIn(jobOf(id))).toBe(0);
    edit(id, (l) => resizeEnd(l, bounds, l.volumes[0]!.id, 20 << 20));
    edit(id, (l) => setLabel(l, l.volumes[0]!.id, 'other'));
    expect(changesIn(jobOf(id))).toBe(1);
    expect(state().note).toBe('The label is stored as OTHER.');
    undoEdit(id);
    undoEdit(id);
    expect(jobOf(id).history.present).toEqual(jobOf(id).now);
    redoEdit(id);
    expect(jobOf(id).history.present.volumes[0]!.length).toBe(20 << 20);
  });

  it('of one drag are undone as one', async () => {
    const id = await withImage();
    for (const mib of [30, 28, 25]) edit(id, (l) => resizeEnd(l, bounds, l.volumes[0]!.id, mib << 20), 'drag-1');
    expect(jobOf(id).history.past).toHaveLength(1);
    undoEdit(id);
    expect(jobOf(id).history.present).toEqual(jobOf(id).now);
  });

  it('that can’t be leave the plan and say why, with the nearest that can', async () => {
    const id = await withImage();
    edit(id, (l) => resizeEnd(l, bounds, l.volumes[0]!.id, 1 << 20));
    expect(jobOf(id).history.past).toEqual([]);
    expect(state().refusal).toMatchObject({ nearest: bounds.get(1)!.floor });
    explain('because');
    expect(state().refusal).toEqual({ reason: 'because' });
    look({ stage: 'review' });
    expect(state().refusal).toBeUndefined();
  });

  it('are not made while another tab holds the bench', async () => {
    const id = await withImage();
    useBench.setState({ readOnly: true });
    expect(edit(id, (l) => resizeEnd(l, bounds, l.volumes[0]!.id, 20 << 20))).toBeUndefined();
    expect(jobOf(id).history.past).toEqual([]);
  });
});

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

  it('that is stopped or fails can be resumed, and rewound', async () => {
    const id = await withImage();
    const { plan, certificate, after } = await divided();
    calls.handlers.run = () => {
      throw new CoreError('run.stopped', { step: 1 });
    };
    await startRunning(id, plan);
    expect(state().runs[id]).toMatchObject({ state: 'stopped' });
    calls.handlers.resume = () => {
      throw new CoreError('storage.full', { wanted: 5 });
    };
    await resumeRunning(id);
    expect(state().runs[id]).toMatchObject({
      state: 'failed',
      error: expect.stringContaining('storage for this job is full') as string,
    });
    calls.handlers.resume = () => certificate;
    calls.handlers.survey = () => after;
    await resumeRunning(id);
    expect(state().runs[id]!.state).toBe('finished');
    calls.handlers.rewind = () => survey;
    await rewind(id);
    expect(state().runs[id]).toBeUndefined();
    expect(jobOf(id).now.volumes).toHaveLength(1);
    expect(derivePlan(survey, jobOf(id).history.present).steps).toEqual([]);
  });
});
