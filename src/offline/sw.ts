/**
 * Keeps the page working when its server is away, and serves downloads. All that the application is made of is kept when
 * it is installed; a version has caches of its own, and those of others go when it takes over. What can't be kept is a
 * pity and no more: an answer from the server is never withheld for it.
 */
import {
  CacheFirst,
  NetworkFirst,
  Serwist,
  type PrecacheEntry,
  type RouteHandlerCallbackOptions,
  type SerwistPlugin,
} from 'serwist';
import { announced, respondDownload } from './downloads';

declare const self: ServiceWorkerGlobalScope & {
  readonly __SW_MANIFEST: (PrecacheEntry | string)[];
  readonly __VERSION: string;
};

const VERSION = self.__VERSION;
const FILES = `ullager-files-${VERSION}`;
const PAGES = `ullager-pages-${VERSION}`;
/** What a page needs that is not a file of the build. */
const ANSWERS = ['/', '/api/demo', '/api/demo/looked'];
const ANSWER_WITHIN_S = 4;

const answers = new NetworkFirst({
  cacheName: PAGES,
  networkTimeoutSeconds: ANSWER_WITHIN_S,
  matchOptions: { ignoreVary: true },
});

/** An answer of its own, so that a worker is at the place it was asked for with, which is how it is told what to do. */
const asAsked: SerwistPlugin = {
  cachedResponseWillBeUsed: async ({ cachedResponse }) =>
    cachedResponse && new Response(cachedResponse.body, cachedResponse),
};

const serwist = new Serwist({
  precacheEntries: self.__SW_MANIFEST,
  precacheOptions: { cacheName: FILES, concurrency: 6, plugins: [asAsked] },
  skipWaiting: true,
  clientsClaim: true,
  runtimeCaching: [
    {
      matcher: ({ url, sameOrigin }: { url: URL; sameOrigin: boolean }) =>
        sameOrigin && url.pathname.startsWith('/download/'),
      handler: async ({ url }: RouteHandlerCallbackOptions) => respondDownload(url.pathname.slice('/download/'.length)),
    },
    {
      matcher: ({ url, sameOrigin }: { url: URL; sameOrigin: boolean }) => sameOrigin && ANSWERS.includes(url.pathname),
      handler: answers,
    },
    {
      matcher: ({ url, sameOrigin }: { url: URL; sameOrigin: boolean }) =>
        sameOrigin && (url.pathname.startsWith('/_next/static/') || url.pathname.startsWith('/guide/')),
      handler: new CacheFirst({ cacheName: PAGES }),
    },
  ],
});

self.addEventListener('message', announced);
self.addEventListener('install', (event) => {
  event.waitUntil(keepAnswers());
});
self.addEventListener('activate', (event) => {
  event.waitUntil(dropOthers());
});
serwist.addEventListeners();

async function keepAnswers(): Promise<void> {
  const cache = await caches.open(PAGES);
  await Promise.all(ANSWERS.map((url) => cache.add(url).catch(() => undefined)));
}

async function dropOthers(): Promise<void> {
  for (const name of await caches.keys()) if (!name.includes(VERSION)) await caches.delete(name);
}
