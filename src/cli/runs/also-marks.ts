/**
 * Marks beside images that a run of another image writes too; of disks of the machine they stand beside that run's journal.
 * As long as that run, or taking it back, is unfinished they are between two states, which nothing else on them tells. A mark
 * names the run and where its journal is, which decides; what a cut leaves behind of a mark says nothing any more once that
 * run is over.
 */
import { CoreError } from '@/core/errors';
import { dirname, resolve } from 'node:path';
import * as z from 'zod';
import { createBeside, nameOfFile, partMarkOf, readWhole, writeWhole, type Files } from '../files';
import { besideOther } from './on-device';
import { openJournal, openUndo, unlessOthers } from './run-files';

const MOST_BYTES = 64 * 1024;
const markSchema = z.strictObject({
  version: z.literal(1),
  run: z.string().min(1).max(100),
  /** What the journal of that run stands beside. */
  beside: z.string().min(1).max(8192),
});
type Mark = z.output<typeof markSchema>;

/** @param beside what the journal of whoever asks stands beside */
const markOf = async (files: Files, image: string, beside: string): Promise<string> =>
  partMarkOf(await besideOther(files, await files.resolve(image), beside));

/** Marks images, for good when this returns. */
export async function markAlso(files: Files, run: string, beside: string, images: readonly string[]): Promise<void> {
  const mark: Mark = { version: 1, run, beside: resolve(beside) };
  for (const image of images) {
    const path = await markOf(files, image, beside);
    const file = await createBeside(files, path);
    try {
      await writeWhole(file, 0, new TextEncoder().encode(`${JSON.stringify(mark)}\n`));
      await file.sync();
      await file.close();
      await files.rename(file.path, path);
    } catch (error) {
      await file.close().catch(() => undefined);
      await files.remove(file.path).catch(() => undefined);
      throw error;
    }
    await files.syncFolder(dirname(path));
  }
}

/** Takes the marks of a run away. */
export async function unmarkAlso(files: Files, run: string, beside: string, images: readonly string[]): Promise<void> {
  for (const image of images) {
    const path = await markOf(files, image, beside);
    if ((await read(files, path))?.run === run) await files.remove(path);
  }
}

/**
 * @param beside what the journal of whoever asks stands beside
 * @throws CoreError `run.holds` where another run that writes an image too is unfinished, or may be
 */
export async function assertWhole(files: Files, image: string, beside: string, own?: string): Promise<void> {
  const path = await markOf(files, image, beside);
  const mark = await read(files, path);
  if (!mark || mark.run === own) return;
  const held = await isUnfinished(files, mark);
  if (held === false) return;
  const of = nameOfFile(mark.beside);
  const reason =
    held === true
      ? `a run on ${of} writes it too and is unfinished; go on with that run, or take it back`
      : `a run on ${of} has written it too, and its journal is not there to tell whether that is over; where you know that it is, remove ${path}`;
  throw new CoreError('run.holds', { name: image, reason });
}

/** Whether the run of a mark, or taking it back, is unfinished; undefined where that can't be known. */
async function isUnfinished(files: Files, { run, beside }: Mark): Promise<boolean | undefined> {
  const undo = await openUndo(files, beside).catch(unlessOthers);
  await undo?.file.close();
  const ofRun = undo?.state?.run === run;
  if (ofRun && undo.state.rewinding) return true;
  const journal = await openJournal(files, beside).catch(unlessOthers);
  await journal?.file.close();
  // A run that is over takes its marks away before its journal, and one that never began has an empty one.
  if (!journal) return ofRun && undo.state.left !== undefined ? false : undefined;
  return journal.state?.run === run && !journal.state.certificate;
}

/** @throws CoreError `run.holds` where what stands there can't be read as a mark */
async function read(files: Files, path: string): Promise<Mark | undefined> {
  const facts = await files.facts(path);
  if (!facts) return undefined;
  const damaged = new CoreError('run.holds', { name: path, reason: 'it is no mark that a run has left' });
  if (facts.kind !== 'file' || facts.size > MOST_BYTES) throw damaged;
  const file = await files.open(path, 'read');
  try {
    const bytes = new Uint8Array(facts.size);
    await readWhole(file, 0, bytes);
    const parsed = markSchema.safeParse(JSON.parse(new TextDecoder().decode(bytes)));
    if (!parsed.success) throw damaged;
    return parsed.data;
  } catch (error) {
    throw error instanceof SyntaxError ? damaged : error;
  } finally {
    await file.close();
  }
}
