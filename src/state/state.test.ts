import { CoreError } from '@/core/errors';
import { resizeEnd, setLabel } from '@/core/layout';
import { describe, expect, it, vi } from 'vitest';
import {
  bench,
  Database,
  calls,
  db,
  survey,
  fingerprint,
  bounds,
  STICK,
  withImage,
  state,
  jobOf,
} from './fixtures/bench';

const {
  changesIn,
  edit,
  explain,
  look,
  openBench,
  openFile,
  redoEdit,
  removeDisk,
  reopen,
  resumeRunning,
  rewind,
  startRunning,
  stopRunning,
  undoEdit,
  useBench,
} = bench;

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
