// Keeps the page working when its server is away, and turns a stream from the page into a download.
const CACHE = 'ullager-1';
const downloads = new Map();

self.addEventListener('install', () => self.skipWaiting());
self.addEventListener('activate', (event) => event.waitUntil(self.clients.claim()));

self.addEventListener('message', (event) => {
  const { id, name, size, stream } = event.data;
  downloads.set(id, { name, size, stream });
  event.ports[0].postMessage('ready');
});

self.addEventListener('fetch', (event) => {
  const url = new URL(event.request.url);
  if (url.origin !== self.location.origin || event.request.method !== 'GET') return;
  const download = /^\/download\/([\w-]+)$/.exec(url.pathname);
  if (download) event.respondWith(respondDownload(download[1]));
  else event.respondWith(networkThenCache(event.request));
});

function respondDownload(id) {
  const found = downloads.get(id);
  if (!found) return new Response('That download is over.', { status: 404 });
  downloads.delete(id);
  const headers = {
    'content-type': 'application/octet-stream',
    'content-disposition': `attachment; filename*=UTF-8''${encodeURIComponent(found.name)}`,
    'x-content-type-options': 'nosniff',
  };
  if (found.size !== undefined) headers['content-length'] = String(found.size);
  return new Response(found.stream, { headers });
}

async function networkThenCache(request) {
  const cache = await caches.open(CACHE);
  try {
    const response = await fetch(request);
    if (response.ok) await cache.put(request, response.clone());
    return response;
  } catch (error) {
    const kept = await cache.match(request, { ignoreVary: true });
    if (kept) return kept;
    throw error;
  }
}
