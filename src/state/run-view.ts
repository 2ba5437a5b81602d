/** Runs as they are shown: found, changed, and taken off the page. */
import { expectedSeconds, paceSchema, type Ground, type Plan } from '@/core/plan';
import { engine, type RunStatus } from '@/engine';
import { db } from './keeping';
import { diskOf, get, putDisk, set, type RunView } from './store';

export function putRun(id: string, change: Partial<RunView>): void {
  set(({ runs }) => ({ runs: { ...runs, [id]: { ...runs[id]!, ...change } } }));
}

/** A run that was found, as it is shown. */
export function viewOf({ plan, next, certificate }: RunStatus, id: string): RunView {
  const step = Math.max(0, Math.min(next, plan.steps.length - 1));
  const ground = groundOf(id);
  const share = shareBefore(plan, step, ground);
  const idle = { plan, step, began: step, done: 0, total: 0, startedAt: 0, stepStartedAt: 0, took: [], share, ground };
  return certificate ? { ...idle, state: 'finished', certificate } : { ...idle, state: 'stopped' };
}

/** What sets the pace of a run on a disk. */
export function groundOf(id: string): Ground {
  if (get().jobs[id]?.wishes?.paced) return 'medium';
  return diskOf(id)?.stored.source.kind === 'practice' ? 'references' : 'bytes';
}

/** How much of the time of a plan its steps before one are expected to take, 0 to 1. */
export function shareBefore({ steps }: Plan, step: number, ground: Ground): number {
  const { pace } = get();
  const all = expectedSeconds({ steps }, pace, ground);
  return all > 0 ? expectedSeconds({ steps: steps.slice(0, step) }, pace, ground) / all : 0;
}

/** How runs went on this machine before; what can't be read is not known. */
export async function loadPace(): Promise<void> {
  const stored = paceSchema.safeParse((await db.settings.get('pace'))?.value);
  if (stored.success) set({ pace: stored.data });
}

/** Shows other disks as they are after a run that wrote them too. */
export async function lookAtWritten(ids: readonly string[]): Promise<void> {
  for (const id of ids) {
    const survey = await engine('survey', id).catch(() => undefined);
    if (survey) putDisk(id, { survey });
  }
}

export function dropRun(id: string): void {
  set(({ runs }) => {
    const { [id]: _gone, ...rest } = runs;
    return { runs: rest };
  });
}
