/** Opening the bench: what was stored of it, the demo disks, and each disk with its job and its run. */
import { isCoreError } from '@/core/errors';
import type { Survey } from '@/core/inspect';
import type { Layout } from '@/core/layout';
import { parseRecipe, type Recipe } from '@/core/practice';
import { engine, giveUpEngine, onEngineDeath, watchEngine, type BuildWhen, type StoredDisk } from '@/engine';
import { findMends, findVolumes, loadHealth } from './health';
import { afterRun, beginJob, fitsDisk, parseJob, reachedPlan, type JobState } from './job';
import { putJob, storeJobs } from './jobs';
import { db, keep, messageOf } from './keeping';
import { fileBehind, mayRead, partsOf } from './picked';
import { loadPace, putRun, viewOf } from './run-view';
import { diskOf, get, isGoing, putDisk, set, unfinished } from './store';
import { tab } from './tab';
import { savesData } from './thrift';
import { carryView, keptView } from './view';

/** Longer than any browser takes to open its storage. */
const STORAGE_WITHIN_MS = 6000;

interface Sent {
  readonly held: Promise<boolean>;
  readonly recipes: Promise<Recipe[]>;
}

/** What was sent for before it was wanted, once. */
let sent: Sent | undefined;

/** Sends for what opening takes: the engine, and the demo disks with what was found on them. Each takes its time. */
export function sendForBench(): void {
  sent = send();
}

function send(): Sent {
  const held = engine('hold', tab.heldBefore());
  // Said by whoever waits for it.
  held.catch(() => undefined);
  looked ??= fetchLooked();
  return { held, recipes: demoRecipes() };
}

/** Opens the bench: what was stored, and the demo disks where the server has them. */
export async function openBench(): Promise<void> {
  const { held, recipes: offered } = sent ?? send();
  sent = undefined;
  try {
    await within(STORAGE_WITHIN_MS, openStorage());
  } catch (error) {
    // A tab that can keep nothing holds the bench for none.
    giveUpEngine();
    return set({ fatal: storageWords(error) });
  }
  standAs(await held);
  // Not before: whoever had the bench may have been changing it until then.
  await loadPace();
  const known = await db.disks.orderBy('order').toArray();
  const recipes = await offered;
  const added = recipes
    .filter((recipe) => !known.some((d) => d.id === recipe.id))
    .map((recipe, i): StoredDisk => ({
      id: recipe.id,
      name: recipe.name,
      order: known.length + i,
      source: { kind: 'practice', recipe },
    }));
  if (added.length > 0) void keep(() => db.disks.bulkPut(added));
  // Asked last: whoever goes somewhere while all of this is fetched is not taken back.
  const view = await keptView();
  set({ disks: [...known, ...added].map((stored) => ({ stored, status: 'opening' })), ready: true, ...view });
  const { currentId, disks } = get();
  const inHandFirst = [...disks].sort((a, b) => Number(b.stored.id === currentId) - Number(a.stored.id === currentId));
  if (typeof window !== 'undefined') window.addEventListener('pagehide', storeJobs);
  onEngineDeath(() => void afterEngineDeath());
  watchEngine((silent) => set({ silent }));
  // Those that are known show at once; the one worker builds them behind whatever else is asked of it.
  await Promise.all(inHandFirst.map((disk) => openStored(disk.stored)));
}

async function openStorage(): Promise<void> {
  if (typeof indexedDB === 'undefined') throw new Error('there is none');
  if (!db.isOpen()) await db.open();
}

function within<T>(ms: number, work: Promise<T>): Promise<T> {
  return new Promise((resolve, reject) => {
    const timer = setTimeout(() => reject(new Error('it does not answer')), ms);
    work.then(resolve, reject).finally(() => clearTimeout(timer));
  });
}

const storageWords = (error: unknown): string =>
  `This browser keeps nothing for this page (${messageOf(error)}), so no run could be made safe. Allow storage for it, close private windows or other tabs of it, or use another browser, and load it again.`;

/** One tab holds the bench; others show it and take over when it is let go. */
function standAs(holder: boolean): void {
  if (holder) {
    tab.holds();
    return set({ readOnly: false });
  }
  tab.holdsNot();
  set({ readOnly: true });
  void engine('whenFree').then(
    () => {
      carryView();
      location.reload();
    },
    () => undefined,
  );
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
let looked: ReturnType<typeof fetchLooked> | undefined;

async function fetchLooked(): Promise<readonly { recipe: unknown; survey: Survey }[]> {
  try {
    const response = await fetch('/api/demo/looked');
    return response.ok ? ((await response.json()) as { recipe: unknown; survey: Survey }[]) : [];
  } catch {
    return [];
  }
}

/** What is known of a practice disk before it is built here, while nothing was run on it. */
async function lookedAt(id: string, recipe: Recipe): Promise<Survey | undefined> {
  const counts = [db.overlayEdits, db.overlayPages, db.journal].map((t) => t.where('diskId').equals(id).count());
  counts.push(db.layers.filter((layer) => layer.diskId === id).count());
  if ((await Promise.all(counts)).some((count) => count > 0)) return undefined;
  return (await looked)?.find((one) => sameJson(one.recipe, recipe))?.survey;
}

const whenNobodyWaits = (): BuildWhen => (savesData() ? 'asked' : 'behind');

async function openStored(stored: StoredDisk): Promise<void> {
  const { id, source } = stored;
  try {
    if (source.kind === 'practice') {
      // A recipe may have been kept before it had all of its fields.
      const recipe = parseRecipe(source.recipe);
      const known = await lookedAt(id, recipe);
      if (known) await opened(id, known, recipe, false);
      const found = await engine(
        'openPractice',
        id,
        { ...recipe, name: stored.name },
        known ? whenNobodyWaits() : 'now',
      );
      // What was found before stands unless the disk turns out to be another.
      if (!known || !sameJson(known, found)) await opened(id, found, recipe);
      return;
    }
    const { handle, fingerprint: expected, inside } = source;
    if (!handle || !(await mayRead(handle, false))) return putDisk(id, { status: 'wanted' });
    const file = await fileBehind(handle);
    const parts = partsOf(file);
    const how = { expected, ...(parts ? { parts } : {}), ...(inside ? { inside } : {}) };
    const { survey } = await engine('openImage', id, file, how);
    if (stored.name !== expected.name) await engine('rename', id, stored.name);
    await opened(id, survey);
  } catch (error) {
    putDisk(
      id,
      isWanted(error) ? { status: 'wanted', error: wantedWords(error) } : { status: 'failed', error: messageOf(error) },
    );
  }
}

/** Whether an image has to be picked anew: its file is another, was moved, or can't be read any more. */
export const isWanted = (error: unknown): boolean =>
  isCoreError(error, 'image.changed') || ['NotFoundError', 'NotReadableError'].includes((error as Error).name);

/** What to say of one whose file can't be had. */
export const wantedWords = (error: unknown): string =>
  isCoreError(error) ? error.message : 'The image file is not where it was. Pick it again.';

/** @param mayRun whether a run may be under way; the engine is asked then, and may be busy */
export async function opened(id: string, survey: Survey, recipe?: Recipe, mayRun = true): Promise<void> {
  const row = await db.jobs.get(id);
  const stored = parseJob(row?.state);
  let stuck: string | undefined;
  const status = mayRun
    ? await engine('runStatus', id).catch((error: unknown) => void (stuck = stuckWords(error)))
    : undefined;
  const job = jobFor(survey, stored, status ?? undefined, recipe);
  // All at once: whoever goes to the disk then sees its run, where there is one.
  set(({ jobs, runs }) => ({
    jobs: { ...jobs, [id]: job },
    ...(status ? { runs: { ...runs, [id]: viewOf(status, id) } } : {}),
  }));
  putDisk(id, { status: 'open', survey, error: undefined, stuck });
  void loadHealth(id, survey.size);
  if (!unfinished(get().runs[id])) void lookFurther(id, job.history.present, survey);
  if (job !== stored && stored && status?.certificate) putJob(id, job);
  if (row && !stored && !get().readOnly)
    set({
      problem: `What was planned on ${diskOf(id)?.stored.name ?? 'a disk'} can’t be read any more and was begun anew.`,
    });
}

/** What a plan needs that is found only by looking for it: volumes that no table names, and what can be mended. */
async function lookFurther(id: string, planned: Layout, { volumes }: Survey): Promise<void> {
  const lost = planned.volumes.some(({ origin }) => {
    return origin.kind === 'kept' && !volumes.some((v) => v.number === origin.number);
  });
  if (lost) await findVolumes(id);
  if (planned.mend) await findMends(id);
}

/** Why a journal can't be gone on with; what it is of can be put back. */
function stuckWords(error: unknown): string {
  if (!isCoreError(error) || !error.code.startsWith('journal.')) throw error;
  return error.message;
}

function jobFor(
  survey: Survey,
  stored: JobState | undefined,
  status: Awaited<ReturnType<typeof engine<'runStatus'>>>,
  recipe: Recipe | undefined,
): JobState {
  if (!stored) return beginJob(survey, recipe);
  if (fitsDisk(stored, survey)) return stored;
  // Between the steps of a run the disk fits neither layout; the job is kept for when the run is over.
  if (status && !status.certificate) return stored;
  // The run came to its end while nobody looked.
  if (status?.certificate && reachedPlan(stored, survey)) return afterRun(stored, survey);
  return beginJob(survey, recipe);
}

async function afterEngineDeath(): Promise<void> {
  for (const [id, run] of Object.entries(get().runs))
    if (isGoing(run))
      putRun(id, { state: 'failed', error: 'The engine stopped unexpectedly. The run goes on where it was.' });
  set({ silent: false, opening: undefined });
  standAs(await engine('hold', tab.heldBefore()));
  await Promise.all(get().disks.map((disk) => openStored(disk.stored)));
}
