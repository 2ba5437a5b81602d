/** Fetches code that is shown later while there is time, so that it is there when the server no longer is. */
export function fetchWhenIdle(load: () => Promise<unknown>): void {
  if (typeof window !== 'undefined' && 'requestIdleCallback' in window) requestIdleCallback(() => void load());
}
