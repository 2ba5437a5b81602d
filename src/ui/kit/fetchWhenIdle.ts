import { savesData } from '@/state';

const idle = (): Promise<void> => new Promise((resolve) => requestIdleCallback(() => resolve()));

let before: Promise<unknown> = Promise.resolve();

/**
 * Fetches code that is shown later while there is time, so that it is there when the server no longer is; unless data is to
 * be saved. One after another, since each that comes is run in one go. What fails is fetched when it is wanted.
 */
export function fetchWhenIdle(load: () => Promise<unknown>): void {
  if (typeof window === 'undefined' || !('requestIdleCallback' in window) || savesData()) return;
  before = before
    .then(idle)
    .then(load)
    .catch(() => undefined);
}
