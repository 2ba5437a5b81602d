/** Jobs: edits of the planned layout, each undoable, and what a person wants beside it. */
import { record, redo, undo, type Edited, type Layout } from '@/core/layout';
import type { JobState, JobWishes } from './job';
import { db, keep } from './keeping';
import { get, mayEdit, mayNotEdit, set } from './store';

/** Jobs that are not stored yet. A drag changes one many times a second, and its history is long. */
const unstored = new Set<string>();
const STORE_AFTER_MS = 150;
let storing: ReturnType<typeof setTimeout> | undefined;

export function putJob(id: string, job: JobState): void {
  set(({ jobs }) => ({ jobs: { ...jobs, [id]: job } }));
  if (get().readOnly) return;
  unstored.add(id);
  if (storing === undefined) storeJobs();
}

/** Stores at once what waits, and what comes within a moment after it together. */
export function storeJobs(): void {
  storing = undefined;
  const { jobs } = get();
  const ids = [...unstored].filter((id) => jobs[id]);
  unstored.clear();
  if (ids.length === 0) return;
  const rows = ids.map((diskId) => ({ diskId, updated: Date.now(), state: jobs[diskId] }));
  void keep(() => db.jobs.bulkPut(rows));
  storing = setTimeout(storeJobs, STORE_AFTER_MS);
}

/** What waits to be stored of a disk that is taken away is not stored. */
export const dropJob = (id: string): void => void unstored.delete(id);

/** Tries an edit on the planned layout; a refusal is shown where it was tried. Edits of one gesture count as one. */
export function edit(
  id: string,
  act: (planned: Layout, job: JobState) => Edited,
  gesture?: string,
): Edited | undefined {
  const job = get().jobs[id];
  const no = mayNotEdit(get(), id);
  if (no !== undefined) set({ refusal: { reason: no } });
  if (!job || no !== undefined) return undefined;
  const result = act(job.history.present, job);
  if (result.ok) {
    putJob(id, { ...job, history: record(job.history, result.layout, result.name, gesture) });
    set({ refusal: undefined, note: result.notes.join(' ') || undefined });
  } else
    set({ refusal: { reason: result.reason, ...(result.nearest === undefined ? {} : { nearest: result.nearest }) } });
  return result;
}

function change(id: string, act: (job: JobState) => JobState): void {
  const job = get().jobs[id];
  if (job && mayEdit(id)) putJob(id, act(job));
}

/** Sets what a person wants of the plan beside the layout. */
export const wish = (id: string, more: JobWishes): void =>
  change(id, (job) => ({ ...job, wishes: { ...job.wishes, ...more } }));
export const setNotes = (id: string, notes: string): void => change(id, (job) => ({ ...job, notes }));
export const undoEdit = (id: string): void => change(id, (job) => ({ ...job, history: undo(job.history) }));
export const redoEdit = (id: string): void => change(id, (job) => ({ ...job, history: redo(job.history) }));
