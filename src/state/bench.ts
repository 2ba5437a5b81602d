/** The bench: disks, the one in hand, its job, and the run on it. Everything here survives a reload. */
import { isCoreError } from '@/core/errors';
import type { Survey } from '@/core/inspect';
import { record, redo, undo, type Edited, type Layout, type VolumeId } from '@/core/layout';
import type { Plan } from '@/core/plan';
import { parseRecipe, type Recipe } from '@/core/practice';
import type { Certificate } from '@/core/proof';
import type { UnitSystem } from '@/core/size';
import { Database, engine, listener, onEngineDeath, type RunStatus, type StoredDisk } from '@/engine';
import { create } from 'zustand';
import { afterRewind, afterRun, beginJob, fitsDisk, type JobState, type JobWishes } from './job';

export type Stage = 'bench' | 'look' | 'divide' | 'review' | 'run' | 'prove';

/** A disk on the bench, as far as it is open. */
export interface BenchDisk {
  readonly stored: StoredDisk;
  readonly status: 'opening' | 'open' | 'wanted' | 'failed';
  readonly survey?: Survey;
  readonly error?: string;
}

/** A run as the page follows it. */
export interface RunView {
  readonly plan: Plan;
  readonly state: 'running' | 'stopping' | 'stopped' | 'failed' | 'finished';
  readonly step: number;
  /** The step it was begun or taken up with. */
  readonly began: number;
  readonly done: number;
  readonly total: number;
  readonly startedAt: number;
  readonly stepStartedAt: number;
  /** Seconds each finished step took. */
  readonly took: readonly number[];
  /** Seconds that the real medium of a practice disk would have taken so far. */
  readonly simulated?: number;
  readonly error?: string;
  readonly certificate?: Certificate;
}

interface View {
  readonly currentId?: string;
  readonly stage: Stage;
  readonly units: UnitSystem;
  readonly theme: 'light' | 'dark' | 'system';
}

export interface BenchState extends View {
  readonly ready: boolean;
  /** Set while another tab holds the bench. */
  readonly readOnly: boolean;
  readonly disks: readonly BenchDisk[];
  readonly jobs: Readonly<Record<string, JobState>>;
  readonly runs: Readonly<Record<string, RunView>>;
  readonly selected?: VolumeId;
  /** A volume that was just made, whose size is what a person types next. */
  readonly fresh?: VolumeId;
  readonly refusal?: { readonly reason: string; readonly nearest?: number };
  /** What the last edit rounded or changed on the way. */
  readonly note?: string;
  readonly problem?: string;
  /** A helper that is open beside the plan. */
  readonly asking?: Asking;
}

/** Helpers of Divide: goals, a split by sizes, ways to a wish for room, advice on a volume. */
export type Asking =
  | { readonly kind: 'goals' }
  | { readonly kind: 'split' }
  | { readonly kind: 'advice' }
  | { readonly kind: 'ways'; readonly wish: 'grow' | 'free' };

const db = new Database();
/** Whether the person went somewhere before the stored view was read; then it is left alone. */
let wentSomewhere = false;

export const useBench = create<BenchState>(() => ({
  ready: false,
  readOnly: false,
  disks: [],
  jobs: {},
  runs: {},
  stage: 'bench',
  units: 'binary',
  theme: 'system',
}));

const { getState: get, setState: set } = useBench;

const messageOf = (error: unknown): string => (error instanceof Error ? error.message : String(error));

function putDisk(id: string, change: Partial<BenchDisk>): void {
  set(({ disks }) => ({ disks: disks.map((d) => (d.stored.id === id ? { ...d, ...change } : d)) }));
}

/** Jobs that are not stored yet. A drag changes one many times a second, and its history is long. */
const unstored = new Set<string>();
const STORE_AFTER_MS = 150;
let storing: ReturnType<typeof setTimeout> | undefined;

function putJob(id: string, job: JobState): void {
  set(({ jobs }) => ({ jobs: { ...jobs, [id]: job } }));
  if (get().readOnly) return;
  unstored.add(id);
  if (storing === undefined) storeJobs();
}

/** Stores at once what waits, and what comes within a moment after it together. */
function storeJobs(): void {
  storing = undefined;
  const { jobs } = get();
  for (const diskId of unstored)
    if (jobs[diskId]) void db.jobs.put({ diskId, updated: Date.now(), state: jobs[diskId] });
  const any = unstored.size > 0;
  unstored.clear();
  if (any) storing = setTimeout(storeJobs, STORE_AFTER_MS);
}

function putRun(id: string, change: Partial<RunView>): void {
  set(({ runs }) => ({ runs: { ...runs, [id]: { ...runs[id]!, ...change } } }));
}

/** Changes what is looked at, and keeps it. */
export function look(view: Partial<View> & { selected?: VolumeId; fresh?: VolumeId }): void {
  wentSomewhere = true;
  const stays = view.stage === undefined && view.currentId === undefined;
  set({ ...view, refusal: undefined, note: undefined, ...(stays ? {} : { asking: undefined }) });
  const { currentId, stage, units, theme } = get();
  if (!get().readOnly) void db.settings.put({ key: 'view', value: { currentId, stage, units, theme } });
}

/** Opens a helper beside the plan, or closes the one that is open. */
export const ask = (asking?: Asking): void => set({ asking, refusal: undefined, note: undefined });
export const dismissProblem = (): void => set({ problem: undefined });
/** Shows why an edge stopped where it did. */
export const explain = (reason: string): void => set({ refusal: { reason } });
export const dismissRefusal = (): void => set({ refusal: undefined });

/** Opens the bench: what was stored, and the demo disks where the server has them. */
export async function openBench(): Promise<void> {
  await holdBench();
  const view = (await db.settings.get('view'))?.value as View | undefined;
  const known = await db.disks.orderBy('order').toArray();
  const recipes = await demoRecipes();
  const added = recipes
    .filter((recipe) => !known.some((d) => d.id === recipe.id))
    .map((recipe, i): StoredDisk => ({
      id: recipe.id,
      name: recipe.name,
      order: known.length + i,
      source: { kind: 'practice', recipe },
    }));
  if (added.length > 0 && !get().readOnly) await db.disks.bulkPut(added);
  set({ disks: [...known, ...added].map((stored) => ({ stored, status: 'opening' })), ...(wentSomewhere ? {} : view) });
  const { currentId, disks } = get();
  const inHandFirst = [...disks].sort((a, b) => Number(b.stored.id === currentId) - Number(a.stored.id === currentId));
  // Those that are known show at once; they share one worker, which builds one after the other.
  await Promise.all(inHandFirst.map((disk) => openStored(disk.stored)));
  set({ ready: true });
  if (typeof window !== 'undefined') window.addEventListener('pagehide', storeJobs);
  onEngineDeath(() => void afterEngineDeath());
}

/** One tab holds the bench; others show it and take over when it is let go. */
async function holdBench(): Promise<void> {
  if (!('locks' in navigator)) return;
  const held = new Promise<boolean>((resolve) => {
    void navigator.locks.request('ullager-bench', { ifAvailable: true }, (lock) => {
      resolve(lock !== null);
      return lock ? new Promise<never>(() => undefined) : undefined;
    });
  });
  if (await held) return;
  set({ readOnly: true });
  void navigator.locks.request('ullager-bench', () => location.reload());
}

async function demoRecipes(): Promise<Recipe[]> {
  try {
    const response = await fetch('/api/demo');
    return response.ok ? ((await response.json()) as unknown[]).map(parseRecipe) : [];
  } catch {
    return [];
  }
}

const sameJson = (a: unknown, b: unknown): boolean => JSON.stringify(a) === JSON.stringify(b);

/** What was found on demo disks when the application was built, by the same code. */
let looked: Promise<readonly { recipe: unknown; survey: Survey }[]> | undefined;

/** What is known of a practice disk before it is built here, while nothing was run on it. */
async function lookedAt(id: string, recipe: Recipe): Promise<Survey | undefined> {
  const counts = [db.overlayEdits, db.overlayPages, db.journal].map((t) => t.where('diskId').equals(id).count());
  if ((await Promise.all(counts)).some((count) => count > 0)) return undefined;
  looked ??= fetch('/api/demo/looked')
    .then((response) => (response.ok ? response.json() : []))
    .catch(() => []);
  return (await looked).find((one) => sameJson(one.recipe, recipe))?.survey;
}

async function openStored(stored: StoredDisk): Promise<void> {
  const { id, source } = stored;
  try {
    if (source.kind === 'practice') {
      // A recipe may have been kept before it had all of its fields.
      const recipe = parseRecipe(source.recipe);
      const known = await lookedAt(id, recipe);
      if (known) await opened(id, known, recipe, false);
      const found = await engine('openPractice', id, recipe);
      // What was found before stands unless the disk turns out to be another.
      if (!known || !sameJson(known, found)) await opened(id, found, recipe);
      return;
    }
    const { handle } = source;
    if (!handle || (await permission(handle, false)) !== 'granted') return putDisk(id, { status: 'wanted' });
    const { survey } = await engine('openImage', id, await handle.getFile(), source.fingerprint);
    await opened(id, survey);
  } catch (error) {
    putDisk(id, { status: isCoreError(error, 'image.changed') ? 'wanted' : 'failed', error: messageOf(error) });
  }
}

type Permissioned = FileSystemFileHandle & {
  queryPermission?(o: { mode: 'read' }): Promise<PermissionState>;
  requestPermission?(o: { mode: 'read' }): Promise<PermissionState>;
};

function permission(handle: Permissioned, ask: boolean): Promise<PermissionState> {
  const act = ask ? handle.requestPermission : handle.queryPermission;
  return act ? act.call(handle, { mode: 'read' }) : Promise.resolve('granted');
}

/** @param mayRun whether a run may be under way; the engine is asked then, and may be busy */
async function opened(id: string, survey: Survey, recipe?: Recipe, mayRun = true): Promise<void> {
  putDisk(id, { status: 'open', survey, error: undefined });
  const stored = (await db.jobs.get(id))?.state;
  const status = mayRun ? await engine('runStatus', id) : undefined;
  const job = stored as JobState | undefined;
  // Between the steps of a run the disk fits neither layout; the job is kept for when the run is over.
  const midRun = status !== undefined && !status.certificate && job?.version === 2;
  const found = fitsDisk(stored, survey) || midRun ? job! : beginJob(survey, recipe);
  set(({ jobs }) => ({ jobs: { ...jobs, [id]: found } }));
  if (status) set(({ runs }) => ({ runs: { ...runs, [id]: viewOf(status) } }));
}

function viewOf({ plan, next, certificate }: RunStatus): RunView {
  const step = Math.min(next, plan.steps.length - 1);
  const idle = { plan, step, began: step, done: 0, total: 0, startedAt: 0, stepStartedAt: 0, took: [] };
  return certificate ? { ...idle, state: 'finished', certificate } : { ...idle, state: 'stopped' };
}

async function afterEngineDeath(): Promise<void> {
  for (const [id, run] of Object.entries(get().runs))
    if (run.state === 'running')
      putRun(id, { state: 'failed', error: 'The engine stopped unexpectedly. Nothing is lost.' });
  await Promise.all(get().disks.map((disk) => openStored(disk.stored)));
}

/** Puts a picked or dropped file on the bench. */
export async function openFile(file: File, handle?: FileSystemFileHandle): Promise<void> {
  const wanted = get().disks.find(
    (d) => d.status === 'wanted' && d.stored.source.kind === 'image' && d.stored.source.fingerprint.size === file.size,
  );
  if (wanted) return reopen(wanted.stored.id, file, handle);
  const id = crypto.randomUUID();
  try {
    const { survey, fingerprint } = await engine('openImage', id, file);
    const name = file.name.replace(/\.(img|raw|bin|dd)$/i, '');
    const stored: StoredDisk = {
      id,
      name,
      order: Date.now(),
      source: { kind: 'image', fingerprint, ...(handle ? { handle } : {}) },
    };
    await db.disks.put(stored);
    set(({ disks }) => ({ disks: [...disks, { stored, status: 'opening' }] }));
    await opened(id, survey);
    look({ currentId: id, stage: 'look', selected: undefined });
  } catch (error) {
    set({ problem: messageOf(error) });
  }
}

/** Puts a described disk on the bench. */
export async function addPractice(recipe: Recipe): Promise<void> {
  const stored: StoredDisk = {
    id: recipe.id,
    name: recipe.name,
    order: Date.now(),
    source: { kind: 'practice', recipe },
  };
  const survey = await engine('openPractice', recipe.id, recipe);
  await db.disks.put(stored);
  set(({ disks }) => ({ disks: [...disks, { stored, status: 'opening' }] }));
  await opened(recipe.id, survey, recipe);
  look({ currentId: recipe.id, stage: 'look', selected: undefined });
}

/** Opens a known image again, from its handle or from a file picked anew. */
export async function reopen(id: string, file?: File, handle?: FileSystemFileHandle): Promise<void> {
  const disk = get().disks.find((d) => d.stored.id === id);
  if (disk?.stored.source.kind !== 'image') return;
  const { source } = disk.stored;
  try {
    const kept = handle ?? source.handle;
    if (!file && kept && (await permission(kept, true)) !== 'granted') return;
    const { survey } = await engine('openImage', id, file ?? (await kept!.getFile()), source.fingerprint);
    if (handle) await db.disks.put({ ...disk.stored, source: { ...source, handle } });
    await opened(id, survey);
  } catch (error) {
    putDisk(id, { error: messageOf(error) });
    set({ problem: messageOf(error) });
  }
}

/** Takes a disk off the bench with everything kept for it. */
export async function removeDisk(id: string): Promise<void> {
  await engine('forget', id);
  unstored.delete(id);
  await db.transaction('rw', [db.disks, db.jobs], async () => {
    await db.disks.delete(id);
    await db.jobs.delete(id);
  });
  set(({ disks, currentId }) => ({
    disks: disks.filter((d) => d.stored.id !== id),
    ...(currentId === id ? { currentId: undefined, stage: 'bench' as const } : {}),
  }));
}

/** Tries an edit on the planned layout; a refusal is shown where it was tried. Edits of one gesture count as one. */
export function edit(
  id: string,
  act: (planned: Layout, job: JobState) => Edited,
  gesture?: string,
): Edited | undefined {
  const job = get().jobs[id];
  if (!job || get().readOnly) return undefined;
  const result = act(job.history.present, job);
  if (result.ok) {
    putJob(id, { ...job, history: record(job.history, result.layout, result.name, gesture) });
    set({ refusal: undefined, note: result.notes.join(' ') || undefined });
  } else
    set({ refusal: { reason: result.reason, ...(result.nearest === undefined ? {} : { nearest: result.nearest }) } });
  return result;
}

/** Sets what a person wants of the plan beside the layout. */
export function wish(id: string, change: JobWishes): void {
  const job = get().jobs[id];
  if (job && !get().readOnly) putJob(id, { ...job, wishes: { ...job.wishes, ...change } });
}

export function undoEdit(id: string): void {
  const job = get().jobs[id];
  if (job) putJob(id, { ...job, history: undo(job.history) });
}

export function redoEdit(id: string): void {
  const job = get().jobs[id];
  if (job) putJob(id, { ...job, history: redo(job.history) });
}

/** Begins the run of a plan. */
export function startRunning(id: string, plan: Plan): Promise<void> {
  const { override = false, paced = false } = get().jobs[id]?.wishes ?? {};
  return follow(id, plan, (progress) => engine('run', id, plan, { override, paced }, progress));
}

/** Goes on with a stopped or interrupted run. */
export function resumeRunning(id: string): Promise<void> {
  return follow(id, get().runs[id]!.plan, (progress) => engine('resume', id, progress));
}

export async function stopRunning(id: string): Promise<void> {
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
  set(({ runs }) => ({
    runs: {
      ...runs,
      [id]: {
        plan,
        state: 'running',
        step: runs[id]?.step ?? 0,
        began: runs[id]?.step ?? 0,
        done: 0,
        total: 0,
        startedAt,
        stepStartedAt: startedAt,
        took: [],
      },
    },
  }));
  if (navigator.storage?.persist) void navigator.storage.persist();
  try {
    const certificate = await act(listener((progress) => onProgress(id, progress)));
    const survey = await engine('survey', id);
    putDisk(id, { survey });
    putJob(id, afterRun(get().jobs[id]!, survey));
    putRun(id, { state: 'finished', certificate });
    if (get().currentId === id && get().stage === 'run') look({ stage: 'prove' });
  } catch (error) {
    const stopped = isCoreError(error, 'run.stopped');
    putRun(id, stopped ? { state: 'stopped' } : { state: 'failed', error: messageOf(error) });
  }
}

function onProgress(id: string, { step, done, total, state, simulated }: Progress): void {
  const run = get().runs[id];
  if (!run) return;
  const now = Date.now();
  if (simulated !== undefined) putRun(id, { simulated });
  if (state === 'done')
    putRun(id, { step, done: total, total, took: [...run.took, (now - run.stepStartedAt) / 1000], stepStartedAt: now });
  // The first report says where the journal takes the run up.
  else putRun(id, { step, done, total, ...(run.took.length === 0 ? { began: step } : {}) });
}

/** Puts the disk back as it was before the run. */
export async function rewind(id: string): Promise<void> {
  const disk = get().disks.find((d) => d.stored.id === id)!;
  const survey = await engine('rewind', id);
  putDisk(id, { survey });
  const { source } = disk.stored;
  putJob(id, afterRewind(get().jobs[id]!, survey, source.kind === 'practice' ? source.recipe : undefined));
  set(({ runs }) => {
    const { [id]: _gone, ...rest } = runs;
    return { runs: rest };
  });
  look({ stage: 'divide', selected: undefined });
}
