import 'fake-indexeddb/auto';
import { CoreError } from '@/core/errors';
import { surveyDisk, type Survey } from '@/core/inspect';
import { parseTarget, resolveTarget } from '@/core/job';
import { resizeEnd, setLabel, setLetter } from '@/core/layout';
import { derivePlan } from '@/core/plan';
import { MemoryJournal, startRun } from '@/core/run';
import { buildStick, NOW, planFor, SPLIT } from '@/core/run/fixtures/sticks';
import { boundsOf } from '@/core/inspect';
import { beforeEach, describe, expect, it, vi } from 'vitest';

const calls = vi.hoisted(() => ({ handlers: {} as Record<string, (...args: unknown[]) => unknown> }));

vi.mock('@/engine', async () => {
  const { Database } = await import('@/engine/database');
  const { guardQuota } = await import('@/engine/stores');
  return {
    Database,
    engine: async (method: string, ...args: unknown[]) => {
      const handler = calls.handlers[method];
      if (!handler) throw new Error(`no answer to ${method}`);
      return handler(...args);
    },
    listener: (callback: unknown) => callback,
    onEngineDeath: () => () => undefined,
    watchEngine: () => () => undefined,
    EngineDied: class extends Error {},
    guardQuota,
  };
});
vi.stubGlobal('navigator', { storage: {} });
vi.stubGlobal('fetch', () => Promise.reject(new Error('no server')));

const {
  changesIn,
  edit,
  explain,
  guardDisk,
  look,
  lostWith,
  openBench,
  openFile,
  redoEdit,
  removeDisk,
  renameDisk,
  reopen,
  resumeRunning,
  rewind,
  startRunning,
  stopRunning,
  undoEdit,
  useBench,
} = await import('.');
const { Database } = await import('@/engine/database');
const db = new Database();

const stick = await buildStick();
const survey: Survey = await surveyDisk(stick);
const fingerprint = { name: 'stick.img', size: stick.size, modified: 1, ends: 'x' };
const bounds = boundsOf(survey);

const STICK = new File(['x'], 'stick.img');

/** A bench with one image on it. */
async function withImage(): Promise<string> {
  calls.handlers = {
    openImage: () => ({ survey, fingerprint }),
    fingerprint: () => fingerprint,
    runStatus: () => undefined,
    hold: () => true,
  };
  await openFile(STICK);
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
    choosing: undefined,
    full: undefined,
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

  it('can be undone to the very first, however many there were', async () => {
    const id = await withImage();
    for (let n = 0; n < 450; n++) edit(id, (l) => setLabel(l, l.volumes[0]!.id, `L${n}`));
    expect(jobOf(id).history.past.length).toBeLessThan(250);
    while (jobOf(id).history.past.length > 0) undoEdit(id);
    expect(jobOf(id).history.present).toEqual(jobOf(id).now);
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

describe('a file that is picked again', () => {
  const other = { ...fingerprint, ends: 'y' };
  const later = { ...fingerprint, modified: 2 };

  /** A bench whose one image has to be picked again. */
  async function wanted(): Promise<string> {
    const id = await withImage();
    useBench.setState(({ disks }) => ({ disks: disks.map((d) => ({ ...d, status: 'wanted' as const })) }));
    return id;
  }

  it('is the disk that waits for it, with its plan', async () => {
    const id = await wanted();
    await openFile(STICK);
    expect(state().disks).toMatchObject([{ stored: { id }, status: 'open' }]);
  });

  it('is looked at where it is open already', async () => {
    const id = await withImage();
    look({ stage: 'bench' });
    await openFile(STICK);
    expect(state()).toMatchObject({ currentId: id, stage: 'look', disks: [{ stored: { id } }] });
  });

  it('of the same size but another content is another disk, while one waits', async () => {
    const id = await wanted();
    calls.handlers.fingerprint = () => other;
    calls.handlers.openImage = () => ({ survey, fingerprint: other });
    await openFile(STICK);
    expect(state().disks).toMatchObject([{ stored: { id }, status: 'wanted' }, { status: 'open' }]);
  });

  it('of the same content and another date is asked about, and both answers lead on', async () => {
    const id = await wanted();
    calls.handlers.fingerprint = () => later;
    calls.handlers.openImage = (_id, _file, how) => {
      if (!(how as { otherDate?: boolean; expected?: unknown }).otherDate && (how as { expected?: unknown }).expected)
        throw new CoreError('image.changed', { name: 'stick.img' });
      return { survey, fingerprint: later };
    };
    await openFile(STICK);
    expect(state()).toMatchObject({ choosing: { why: 'same?', id }, disks: [{ status: 'wanted' }] });
    await reopen(id, STICK, undefined, true);
    expect(state().choosing).toBeUndefined();
    expect(state().disks).toMatchObject([{ status: 'open', stored: { source: { fingerprint: later } } }]);
    useBench.setState(({ disks }) => ({ disks: disks.map((d) => ({ ...d, status: 'wanted' as const })) }));
    await openFile(STICK, undefined, { another: true });
    expect(state().disks).toMatchObject([{ status: 'wanted' }, { status: 'open' }]);
  });

  it('that is not the one that was asked for can become another disk', async () => {
    const id = await wanted();
    calls.handlers.fingerprint = () => other;
    calls.handlers.openImage = () => {
      throw new CoreError('image.changed', { name: 'stick.img' });
    };
    await reopen(id, STICK);
    expect(state().choosing).toMatchObject({ why: 'other', id });
  });

  it('with several disks in it is asked about, and the answer is kept', async () => {
    await withImage();
    calls.handlers.fingerprint = () => other;
    calls.handlers.openImage = (_id, _file, how) => {
      if (!(how as { inside?: string }).inside)
        throw new CoreError('image.several', { name: 'two.zip', names: ['a', 'b'] });
      return { survey, fingerprint: other };
    };
    await openFile(STICK);
    expect(state().choosing).toMatchObject({ why: 'several', names: ['a', 'b'] });
    await openFile(STICK, undefined, { inside: 'b' });
    expect(state().disks[1]).toMatchObject({ status: 'open', stored: { source: { inside: 'b' } } });
  });
});

describe('a tab that only shows', () => {
  it('changes nothing, whatever is asked of it', async () => {
    const id = await withImage();
    edit(id, (l) => resizeEnd(l, bounds, l.volumes[0]!.id, 20 << 20));
    const asked: string[] = [];
    for (const method of ['run', 'resume', 'rewind', 'forget', 'openImage', 'openPractice', 'stop'])
      calls.handlers[method] = () => void asked.push(method);
    const before = state();
    useBench.setState({ readOnly: true });
    undoEdit(id);
    redoEdit(id);
    await removeDisk(id);
    await rewind(id);
    await resumeRunning(id);
    await stopRunning(id);
    await startRunning(id, {} as never);
    await openFile(STICK);
    await reopen(id, STICK);
    expect(asked).toEqual([]);
    expect(state().jobs).toBe(before.jobs);
    expect(state().disks).toBe(before.disks);
    expect(state().problem).toContain('another tab');
  });
});

describe('storage that can’t be used', () => {
  it('is said, where there is none or it does not answer', async () => {
    const open = vi.spyOn(Database.prototype, 'open');
    const isOpen = vi.spyOn(Database.prototype, 'isOpen').mockReturnValue(false);
    open.mockRejectedValueOnce(new Error('blocked by settings'));
    await openBench();
    expect(state().fatal).toContain('blocked by settings');
    vi.useFakeTimers();
    open.mockReturnValueOnce(new Promise(() => undefined) as never);
    const opening = openBench();
    await vi.advanceTimersByTimeAsync(7000);
    await opening;
    expect(state().fatal).toContain('does not answer');
    vi.useRealTimers();
    isOpen.mockRestore();
    open.mockRestore();
    useBench.setState({ fatal: undefined });
  });

  it('that is full is said with what takes how much, and the plan goes on', async () => {
    const id = await withImage();
    calls.handlers.storage = () => ({ used: 5, quota: 5, disks: [{ id, bytes: 5 }] });
    const quota = Object.assign(new Error('full'), { name: 'QuotaExceededError' });
    const put = vi.spyOn(Object.getPrototypeOf(Object.getPrototypeOf(db.jobs)) as typeof db.jobs, 'bulkPut');
    put.mockRejectedValue(quota as never);
    edit(id, (l) => resizeEnd(l, bounds, l.volumes[0]!.id, 20 << 20));
    await vi.waitFor(() => expect(state().full).toMatchObject({ disks: [{ id }] }));
    expect(state().problem).toContain('storage is full');
    expect(changesIn(jobOf(id))).toBe(1);
    put.mockRestore();
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
