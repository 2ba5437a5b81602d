import { savesData } from '@/state';

/** Fetches code that is shown later while there is time, so that it is there when the server no longer is; unless data is to be saved. */
export function fetchWhenIdle(load: () => Promise<unknown>): void {
  if (typeof window === 'undefined' || !('requestIdleCallback' in window) || savesData()) return;
  requestIdleCallback(() => void load());
}
