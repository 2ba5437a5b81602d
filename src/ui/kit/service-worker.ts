/** The service worker, which keeps the page for when its server is away and serves downloads. */

import { savesData } from '@/state';

/** All that the application is made of is fetched then: the first moments belong to whoever opened the page. */
const REGISTER_AFTER_MS = 5000;
/** Longer than it takes to keep all of that. */
const READY_WITHIN_MS = 30_000;

let registering: Promise<unknown> | undefined;

const register = (): Promise<unknown> => (registering ??= navigator.serviceWorker.register('/sw.js'));

/** Has it registered soon, unless data is to be saved. Without it the page is not there offline and saves nothing; the rest goes on. */
export function registerSoon(): void {
  if ('serviceWorker' in navigator && !savesData())
    setTimeout(() => void register().catch(() => undefined), REGISTER_AFTER_MS);
}

/** The one that is at work, registered now if it is not yet; nothing where the browser has none here. */
export async function activeWorker(): Promise<ServiceWorker | undefined> {
  if (!('serviceWorker' in navigator)) return undefined;
  const late = new Promise<undefined>((resolve) => setTimeout(resolve, READY_WITHIN_MS));
  try {
    await register();
    return (await Promise.race([navigator.serviceWorker.ready, late]))?.active ?? undefined;
  } catch {
    registering = undefined;
    return undefined;
  }
}
