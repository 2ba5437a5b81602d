/**
 * Ways back from earlier runs in place, kept one behind the other: the newest has the plain name, older ones have numbers
 * that grow with time. One leads from where the next newer one ends, and is of no use without it.
 */
import { basename, dirname, join } from 'node:path';
import type { Files } from '../files';
import { undoOf } from './run-files';

const olderOf = (beside: string, number: number): string => `${undoOf(beside)}-${number}`;

/** Numbers of the older ones, the newest first. */
async function numbersOf(files: Files, beside: string): Promise<number[]> {
  const own = `${basename(undoOf(beside))}-`;
  const names = await files.list(dirname(undoOf(beside)));
  const numbers = names.flatMap((name) => (name.startsWith(own) ? [Number(name.slice(own.length))] : []));
  return numbers.filter((n) => Number.isSafeInteger(n) && n > 0).sort((a, b) => b - a);
}

/** Puts the newest one behind those there are, so that another can have its name. */
export async function putBehind(files: Files, beside: string): Promise<void> {
  const [newest = 0] = await numbersOf(files, beside);
  await files.rename(undoOf(beside), olderOf(beside, newest + 1));
  await files.syncFolder(dirname(undoOf(beside)));
}

/** Gives the newest of the older ones the plain name, where nothing has it. @returns how many are left behind it */
export async function bringForward(files: Files, beside: string): Promise<number> {
  const numbers = await numbersOf(files, beside);
  if (numbers.length === 0 || (await files.facts(undoOf(beside)))) return numbers.length;
  await files.rename(olderOf(beside, numbers[0]!), undoOf(beside));
  await files.syncFolder(dirname(undoOf(beside)));
  return numbers.length - 1;
}

/** A way back that is kept. */
export interface WayBack {
  readonly path: string;
  /** Bytes that it takes. */
  readonly bytes: number;
  /** When its run last wrote to it, in milliseconds since 1970. */
  readonly kept: number;
}

/** All that are kept, the newest first. */
export async function waysBack(files: Files, beside: string): Promise<WayBack[]> {
  const paths = [undoOf(beside), ...(await numbersOf(files, beside)).map((n) => olderOf(beside, n))];
  const out: WayBack[] = [];
  for (const path of paths) {
    const facts = await files.facts(path);
    if (facts) out.push({ path, bytes: facts.size, kept: facts.modified });
  }
  return out;
}

/** Takes the given ones away; older ones before newer ones, so that no gap is left where it is cut off. */
export async function dropWaysBack(files: Files, ways: readonly WayBack[]): Promise<void> {
  for (const { path } of [...ways].reverse()) await files.remove(path);
  const [first] = ways;
  if (first) await files.syncFolder(dirname(first.path));
}

/** What stands beside a path in a folder that was named for it. */
export const besideIn = (folder: string, path: string): string => join(folder, basename(path));
