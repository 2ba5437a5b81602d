/** The files beside the one that a run writes: its journal, its way back, and the copy it works on. */
import { CoreError, isCoreError } from '@/core/errors';
import { readCopying, readRunState, readUndo, type JournalRecord, type RunState, type UndoRecord } from '@/core/run';
import { type FileFacts, type Files } from '../files';
import { FileLog } from '../kept';
import { UsageError } from '../output';
import { namedFiles, openSources, type WithDisks } from '../with-disks';
import type { RunCall } from './run-options';

const journalOf = (written: string): string => `${written}.ullager-journal`;
export const undoOf = (written: string): string => `${written}.ullager-undo`;
/** What a run that makes a new file works on until that is whole. */
export const workOf = (written: string): string => `${written}.ullager-work`;

export type JournalFile = FileLog<JournalRecord>;
export type UndoFile = FileLog<UndoRecord>;

/** What a copy is known by in its journal: its number on its storage. */
export const copyId = ({ inode }: FileFacts): string => `file ${inode}`;
/** What a finished file is known by; another file, or one that was changed since, is known by something else. */
export const madeId = ({ inode, size, modified }: FileFacts): string => `file ${inode}, ${size} bytes, ${modified}`;

/** The journal beside a file, with where it says its run is. The caller closes it. */
export interface OpenJournal {
  readonly file: JournalFile;
  readonly state: RunState | undefined;
  /** What the copy is known by, where only copying was begun. */
  readonly copying: string | undefined;
}

/** @throws CoreError `journal.*` when what stands there is no journal, or a damaged one */
export async function openJournal(files: Files, written: string): Promise<OpenJournal | undefined> {
  const file = await FileLog.open<JournalRecord>(files, journalOf(written));
  if (!file) return undefined;
  try {
    const state = await readRunState(file);
    return { file, state, copying: state ? undefined : (await readCopying(file))?.copy };
  } catch (error) {
    await file.close();
    throw error;
  }
}

/**
 * The journal for a run that begins: a new one, or one in which no run was begun.
 * @throws CoreError `run.unfinished` when there is a run to be gone on with, or to be put back
 */
export async function journalToBegin(files: Files, written: string): Promise<JournalFile> {
  const found = await openJournal(files, written);
  if (!found) return FileLog.create(files, journalOf(written));
  const { file, state, copying } = found;
  try {
    if (state?.certificate)
      throw new CoreError('run.unfinished', { reason: 'it is proven, and what it leaves behind is still there' });
    if (state) throw unfinished(state);
    if (copying !== undefined) await removeCopy(files, written, copying);
    if (!file.empty) await file.clear();
    return file;
  } catch (error) {
    await file.close();
    throw error;
  }
}

/** Why nothing else can be begun. */
export const unfinished = ({ next, plan }: RunState): CoreError =>
  new CoreError('run.unfinished', { reason: `step ${next + 1} of ${plan.steps.length} is next` });

/** Takes the copy away that a run worked on, if what has its name is that. @throws CoreError `journal.foreign` */
export async function removeCopy(files: Files, written: string, id: string): Promise<void> {
  const found = await files.facts(workOf(written));
  if (!found) return;
  if (copyId(found) !== id)
    throw new CoreError('journal.foreign', { reason: `${workOf(written)} is not the copy that its run made` });
  await files.remove(workOf(written));
}

/** A way back that is there, with what it says. */
export interface OpenUndo {
  readonly file: UndoFile;
  readonly state: Awaited<ReturnType<typeof readUndo>>;
}

/** @throws CoreError `journal.corrupt` when what stands there is no way back of a run */
export async function openUndo(files: Files, written: string): Promise<OpenUndo | undefined> {
  const file = await FileLog.open<UndoRecord>(files, undoOf(written));
  if (!file) return undefined;
  try {
    return { file, state: await readUndo(file) };
  } catch (error) {
    await file.close();
    throw error;
  }
}

/** What is no journal, or no way back, says nothing; whoever needs it refuses it. */
export function unlessOthers(error: unknown): undefined {
  if (!isCoreError(error) || !error.code.startsWith('journal.')) throw error;
  return undefined;
}

/** @throws UsageError when nothing was begun there */
export async function journalToResume(
  files: Files,
  written: string,
): Promise<OpenJournal & { readonly state: RunState }> {
  const found = await openJournal(files, written);
  if (!found) throw new UsageError(`There is no run to resume beside ${written}.`);
  if (found.state) return { ...found, state: found.state };
  await found.file.close();
  throw found.copying === undefined
    ? new CoreError('run.nothing-to-resume', { reason: 'it was cut before it began' })
    : new CoreError('run.copying', {});
}

/** The disks that a run which is taken up copies from, named again; none where it is over. */
export function sourcesToResume({ files, options }: RunCall, { plan, certificate }: RunState): Promise<WithDisks> {
  return openSources(files, namedFiles(options.with), certificate ? [] : plan.sources);
}
