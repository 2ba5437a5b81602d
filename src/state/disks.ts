/** The disks on the bench: put there, found again, taken away. */
import { isCoreError } from '@/core/errors';
import { sameContent, sameImage, type ImageFingerprint } from '@/core/image';
import type { Recipe } from '@/core/practice';
import { engine, listener, type StoredDisk } from '@/engine';
import { dropHealth } from './health';
import { dropJob } from './jobs';
import { db, fetched, keep, messageOf, show } from './keeping';
import { isWanted, opened, wantedWords } from './opening';
import { fileBehind, mayRead, partsOf, together, type KeptHandle, type PickedFile } from './picked';
import { dropRun } from './run-view';
import { diskOf, get, mayNotEdit, putDisk, set, type BenchDisk } from './store';
import { look } from './view';

/** A disk is a whole number of these. */
const SECTOR = 512;
const LEAST_DISK = 1024 * 1024;

/** What a person says of a file that is put on the bench. */
export interface FileWords {
  readonly inside?: string;
  /** It is another image than one that is known, whatever it looks like. */
  readonly another?: boolean;
  /** It is a disk, though it begins like none. */
  readonly tableless?: boolean;
}

/** Puts files that were picked or dropped together on the bench, each in its turn, as long as none asks anything. */
export function openFiles(picked: readonly PickedFile[]): Promise<void> {
  return eachPicked(picked, openFile);
}

/** Does something with each thing that was picked; parts of an image are one. */
export async function eachPicked(
  picked: readonly PickedFile[],
  act: (file: File, handle?: KeptHandle) => Promise<void>,
): Promise<void> {
  set({ problem: undefined });
  try {
    for (const { file, handle } of together(picked)) {
      await act(file, handle);
      if (get().choosing || get().problem) return;
    }
  } catch (error) {
    await show(error);
  }
}

/** Puts a picked or dropped file on the bench, or finds the disk again that it is. */
export async function openFile(file: File, handle?: KeptHandle, words: FileWords = {}): Promise<void> {
  set({ choosing: undefined });
  const no = mayNotEdit(get());
  if (no) return set({ problem: no });
  try {
    if (/\.json$/i.test(file.name)) return await (await fetched(() => import('./job-files'))).openJobFile(file);
    const fingerprint = file.size > 0 ? await engine('fingerprint', file) : undefined;
    const known = fingerprint && !words.another ? knownAs(fingerprint) : undefined;
    if (known) return await foundAgain(known, file, fingerprint!, handle);
    await openNew(file, handle, words);
  } catch (error) {
    if (isCoreError(error, 'image.cancelled')) return;
    if (isCoreError(error, 'image.several'))
      return set({ choosing: { why: 'several', file, handle, names: error.facts.names } });
    if (isCoreError(error, 'image.not-a-disk') && maybeDisk(file))
      return set({ choosing: { why: 'no table', file, handle } });
    await show(error);
  } finally {
    set({ opening: undefined });
  }
}

/** Whether a file may be all of a disk: whole sectors, and more of them than a table alone takes. */
const maybeDisk = ({ size }: File): boolean => size % SECTOR === 0 && size >= LEAST_DISK;

/** The disk that a file is: the same to the date, else one that waits for a file of that content. */
function knownAs(fingerprint: ImageFingerprint): BenchDisk | undefined {
  const images = get().disks.filter((d) => d.stored.source.kind === 'image');
  const by = (same: typeof sameImage) => (d: BenchDisk) =>
    d.stored.source.kind === 'image' && same(d.stored.source.fingerprint, fingerprint);
  return images.find(by(sameImage)) ?? images.filter((d) => d.status !== 'open').find(by(sameContent));
}

async function foundAgain(
  { stored: { id, name, source }, status }: BenchDisk,
  file: File,
  fingerprint: ImageFingerprint,
  handle: KeptHandle | undefined,
): Promise<void> {
  if (source.kind !== 'image') return;
  if (!sameImage(source.fingerprint, fingerprint)) return set({ choosing: { why: 'same?', file, handle, id, name } });
  if (status !== 'open') return reopen(id, file, handle);
  look({ currentId: id, stage: 'look', selected: undefined });
}

async function openNew(file: File, handle: KeptHandle | undefined, { inside, tableless }: FileWords): Promise<void> {
  const id = crypto.randomUUID();
  const parts = partsOf(file);
  const how = { ...(parts ? { parts } : {}), ...(inside ? { inside } : {}), ...(tableless ? { tableless } : {}) };
  const { survey, fingerprint } = await engine('openImage', id, file, how, told(id, file.name));
  const stored: StoredDisk = {
    id,
    name: nameFor(inside ?? file.name),
    order: Date.now(),
    source: { kind: 'image', fingerprint, ...(handle ? { handle } : {}), ...(inside ? { inside } : {}) },
  };
  await keep(() => db.disks.put(stored));
  set(({ disks }) => ({ disks: [...disks, { stored, status: 'opening' }] }));
  await opened(id, survey);
  look({ currentId: id, stage: 'look', selected: undefined, tab: tableless ? 'lost' : 'volumes' });
}

/** What a disk is called until a person calls it something else: the name of its file without what says its form. */
const nameFor = (path: string): string =>
  path.slice(path.lastIndexOf('/') + 1).replace(/\.(img|raw|bin|dd)$/i, '') || path;

/** Shows how far the opening of a packed file is. */
const told = (id: string, name: string) =>
  listener((done: number, total: number) => set({ opening: { id, name, done, total } }));

/** Calls off the opening of a file. */
export async function cancelOpening(): Promise<void> {
  const { opening } = get();
  if (opening) await engine('cancelOpening', opening.id);
}

export const dismissChoice = (): void => set({ choosing: undefined });

/** Puts a described disk on the bench. */
export async function addPractice(recipe: Recipe): Promise<void> {
  const no = mayNotEdit(get());
  if (no) return set({ problem: no });
  const stored: StoredDisk = {
    id: recipe.id,
    name: recipe.name,
    order: Date.now(),
    source: { kind: 'practice', recipe },
  };
  const survey = await engine('openPractice', recipe.id, recipe);
  await keep(() => db.disks.put(stored));
  set(({ disks }) => ({ disks: [...disks, { stored, status: 'opening' }] }));
  await opened(recipe.id, survey, recipe);
  look({ currentId: recipe.id, stage: 'look', selected: undefined });
}

/** Opens a known image again, from its handle or from a file picked anew. */
export async function reopen(id: string, file?: File, handle?: KeptHandle, otherDate = false): Promise<void> {
  set({ choosing: undefined });
  const disk = diskOf(id);
  if (disk?.stored.source.kind !== 'image' || get().readOnly) return;
  const { source, name } = disk.stored;
  const kept = handle ?? (file ? undefined : source.handle);
  try {
    if (!file && kept && !(await mayRead(kept, true))) return;
    const picked = file ?? (await fileBehind(kept!));
    const parts = partsOf(picked);
    const { fingerprint: expected, inside } = source;
    const how = { expected, otherDate, ...(parts ? { parts } : {}), ...(inside ? { inside } : {}) };
    const { survey, fingerprint } = await engine('openImage', id, picked, how, told(id, picked.name));
    const stored = { ...disk.stored, source: { ...source, fingerprint, ...(kept ? { handle: kept } : {}) } };
    await keep(() => db.disks.put(stored));
    putDisk(id, { stored });
    await opened(id, survey);
  } catch (error) {
    if (isCoreError(error, 'image.cancelled')) return;
    if (file && isCoreError(error, 'image.changed')) {
      const found = await engine('fingerprint', file).catch(() => undefined);
      const same = found !== undefined && sameContent(found, source.fingerprint);
      return set({ choosing: { why: same ? 'same?' : 'other', file, handle, id, name } });
    }
    putDisk(id, isWanted(error) ? { status: 'wanted', error: wantedWords(error) } : { error: messageOf(error) });
    await show(isCoreError(error) ? error : new Error(wantedWords(error)));
  } finally {
    set({ opening: undefined });
  }
}

/** Takes a disk off the bench with everything kept for it. */
export async function removeDisk(id: string): Promise<void> {
  const no = mayNotEdit(get()) ?? (diskOf(id)?.stored.guarded ? mayNotEdit(get(), id) : undefined);
  if (no) return set({ problem: no });
  try {
    await engine('forget', id);
    dropJob(id);
    await db.transaction('rw', [db.disks, db.jobs, db.health], async () => {
      await db.disks.delete(id);
      await db.jobs.delete(id);
      await db.health.delete(id);
    });
  } catch (error) {
    return show(error);
  }
  dropRun(id);
  dropHealth(id);
  set(({ disks, currentId, full }) => ({
    disks: disks.filter((d) => d.stored.id !== id),
    ...(full ? { full: { ...full, disks: full.disks.filter((d) => d.id !== id) } } : {}),
    ...(currentId === id ? { currentId: undefined, stage: 'bench' as const } : {}),
  }));
}
