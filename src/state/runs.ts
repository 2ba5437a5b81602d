/** Runs, as the page begins and follows them. */
import { isCoreError } from '@/core/errors';
import { alsoWritten, paceOf, timeShare, type Plan } from '@/core/plan';
import type { Certificate } from '@/core/proof';
import { ranLayouts } from '@/core/report';
import { engine, EngineDied, listener } from '@/engine';
import { afterRun } from './job';
import { putJob } from './jobs';
import { db, keep, messageOf, show, showUse } from './keeping';
import { dropRun, groundOf, lookAtWritten, putRun, shareBefore, viewOf } from './run-view';
import { diskOf, get, isGoing, mayNotEdit, putDisk, set, type RunView } from './store';
import { look } from './view';

/** What a run that is over tells about those to come. */
function learnPace(run: RunView): void {
  const pace = paceOf(run, get().pace);
  set({ pace });
  void keep(() => db.settings.put({ key: 'pace', value: pace }));
}

/** Begins the run of a plan. One press begins one run. */
export async function startRunning(id: string, plan: Plan): Promise<void> {
  const others = (): (string | undefined)[] => alsoWritten(plan).map((other) => mayNotEdit(get(), other.disk));
  const no = mayNotEdit(get(), id) ?? others().find((why) => why !== undefined);
  if (no !== undefined) return set({ problem: no });
  const job = get().jobs[id];
  const { override = false, paced = false } = job?.wishes ?? {};
  const survey = diskOf(id)?.survey;
  if (job && survey) putJob(id, { ...job, ran: ranLayouts(survey, job.now, job.history.present, plan.steps) });
  return follow(id, plan, (progress) => engine('run', id, plan, { override, paced }, progress));
}

/** Goes on with a stopped or interrupted run. */
export async function resumeRunning(id: string): Promise<void> {
  const run = get().runs[id];
  if (!run || isGoing(run) || get().readOnly) return;
  return follow(id, run.plan, (progress) => engine('resume', id, progress));
}

export async function stopRunning(id: string): Promise<void> {
  if (get().runs[id]?.state !== 'running') return;
  putRun(id, { state: 'stopping' });
  await engine('stop', id);
}

type Progress = Parameters<Parameters<typeof engine<'resume'>>[2]>[0];

async function follow(
  id: string,
  plan: Plan,
  act: (progress: (p: Progress) => void) => Promise<Certificate>,
): Promise<void> {
  const startedAt = Date.now();
  const step = get().runs[id]?.state === 'finished' ? 0 : (get().runs[id]?.step ?? 0);
  const ground = groundOf(id);
  const share = shareBefore(plan, step, ground);
  const begun = {
    plan,
    step,
    began: step,
    done: 0,
    total: 0,
    startedAt,
    stepStartedAt: startedAt,
    took: [],
    share,
    ground,
  };
  set(({ runs }) => ({ runs: { ...runs, [id]: { ...begun, state: 'running' } } }));
  if (navigator.storage?.persist) void navigator.storage.persist().catch(() => undefined);
  try {
    const certificate = await act(listener((progress) => onProgress(id, progress)));
    const survey = await engine('survey', id);
    putDisk(id, { survey });
    await lookAtWritten(alsoWritten(plan).map((s) => s.disk));
    learnPace(get().runs[id]!);
    putRun(id, { state: 'finished', certificate, share: 1 });
    putJob(id, afterRun(get().jobs[id]!, survey));
    if (get().currentId === id && get().stage === 'run') look({ stage: 'prove' });
  } catch (error) {
    await ended(id, error);
  }
}

/** A run that did not come to its end: the disk is looked at as it is now. */
async function ended(id: string, error: unknown): Promise<void> {
  if (error instanceof EngineDied) return putRun(id, { state: 'failed', error: messageOf(error) });
  const stopped = isCoreError(error, 'run.stopped');
  const status = await engine('runStatus', id).catch(() => undefined);
  // Refused before it began: there is no run, and nothing was written.
  if (!stopped && !status) {
    dropRun(id);
    look({ stage: 'review' });
    return show(error);
  }
  putRun(id, {
    ...(status ? { step: viewOf(status, id).step } : {}),
    ...(stopped ? { state: 'stopped' } : { state: 'failed', error: messageOf(error) }),
  });
  const survey = await engine('survey', id).catch(() => undefined);
  if (survey) putDisk(id, { survey });
  if (isCoreError(error, 'storage.full')) await showUse();
}

function onProgress(id: string, { step, done, total, state, simulated }: Progress): void {
  const run = get().runs[id];
  if (!run) return;
  const now = Date.now();
  if (simulated !== undefined) putRun(id, { simulated });
  const change =
    state === 'done'
      ? { step, done: total, total, took: [...run.took, (now - run.stepStartedAt) / 1000], stepStartedAt: now }
      : // The first report says where the journal takes the run up.
        { step, done, total, ...(run.took.length === 0 ? { began: step } : {}) };
  const next = { ...run, ...change };
  const before = shareBefore(run.plan, next.began, run.ground);
  const share = before + (1 - before) * timeShare(next, get().pace, now);
  putRun(id, { ...change, share: Math.max(run.share, share) });
}
