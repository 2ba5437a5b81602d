/** Keeping things in the browser's storage: what can't be kept is said once, in words, and breaks nothing else. */
import { isCoreError } from '@/core/errors';
import { Database, engine, guardQuota } from '@/engine';
import { get, set } from './store';

export const db = new Database();

export const messageOf = (error: unknown): string => (error instanceof Error ? error.message : String(error));

/** Shows what went wrong; where storage is full, with what takes how much. */
export async function show(error: unknown): Promise<void> {
  set({ problem: messageOf(error) });
  if (isCoreError(error, 'storage.full')) await showUse();
}

/** Code of the page that comes when it is wanted. @throws Error that says so where it can't be had */
export async function fetched<T>(load: () => Promise<T>): Promise<T> {
  try {
    return await load();
  } catch (cause) {
    const words = 'This part of the page could not be fetched. Nothing is lost. Is its server still there?';
    throw new Error(words, { cause });
  }
}

/** Looks at what takes how much of the storage. */
export async function showUse(): Promise<void> {
  set({ full: (await engine('storage').catch(() => undefined)) ?? { disks: [] } });
}

export const dismissFull = (): void => set({ full: undefined });

/** Stores something if this tab may; a failure is shown. Whether it is stored. */
export async function keep(act: () => PromiseLike<unknown>): Promise<boolean> {
  if (get().readOnly) return false;
  try {
    await guardQuota(0, act);
    return true;
  } catch (error) {
    await show(error);
    return false;
  }
}
