// Keeps the page working when its server is away, and turns chunks from the engine into a download.
const CACHE = 'ullager-1';
const downloads = new Map();

self.addEventListener('install', () => self.skipWaiting());
self.addEventListener('activate', (event) => event.waitUntil(self.clients.claim()));

self.addEventListener('message', (event) => {
  const { id, name, size } = event.data;
  const [answer, source] = event.ports;
  downloads.set(id, { name, size, source });
  answer.postMessage('ready');
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
    ...(found.size > 0 ? { 'content-length': String(found.size) } : {}),
    'x-content-type-options': 'nosniff',
  };
  return new Response(streamFrom(found.source), { headers });
}

// One chunk for each pull, so that nothing piles up when the disk behind the download is slow.
function streamFrom(port) {
  let arrived;
  port.onmessage = (event) => arrived(event.data);
  return new ReadableStream({
    async pull(controller) {
      const chunk = new Promise((resolve) => (arrived = resolve));
      port.postMessage('pull');
      const { bytes, error } = await chunk;
      if (error) controller.error(new Error(error));
      else if (bytes) controller.enqueue(new Uint8Array(bytes));
      else controller.close();
    },
    cancel() {
      port.postMessage('cancel');
    },
  });
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
