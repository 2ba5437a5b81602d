/** Downloads: a navigation is answered with the chunks that the engine serves through a port. */

interface Download {
  readonly name: string;
  readonly size: number;
  readonly source: MessagePort;
}

/** What the page sends to announce one. */
type Announcement = Omit<Download, 'source'> & { readonly id: string };

interface Served {
  readonly bytes?: ArrayBuffer;
  readonly error?: string;
}

/** Longer than any single chunk takes; an engine that is no more never answers. */
const CHUNK_WITHIN_MS = 60_000;

const waiting = new Map<string, Download>();

/** Takes an announcement and says that it is ready for it. */
export function announced({ data, ports }: ExtendableMessageEvent): void {
  const [answer, source] = ports;
  const { id, name, size } = (data ?? {}) as Partial<Announcement>;
  if (typeof id !== 'string' || typeof name !== 'string' || !answer || !source) return;
  waiting.set(id, { name, size: Number(size) || 0, source });
  answer.postMessage('ready');
}

export function respondDownload(id: string): Response {
  const found = waiting.get(id);
  if (!found) return new Response('That download is over.', { status: 404 });
  waiting.delete(id);
  const headers = {
    'content-type': 'application/octet-stream',
    'content-disposition': `attachment; filename*=UTF-8''${encodeURIComponent(found.name)}`,
    ...(found.size > 0 ? { 'content-length': String(found.size) } : {}),
    'x-content-type-options': 'nosniff',
  };
  return new Response(streamFrom(found.source), { headers });
}

/** One chunk for each pull, so that nothing piles up when the disk behind the download is slow. */
function streamFrom(port: MessagePort): ReadableStream<Uint8Array> {
  let arrived = (_: Served): void => undefined;
  port.onmessage = (event: MessageEvent<Served>) => arrived(event.data);
  return new ReadableStream({
    async pull(controller) {
      const chunk = new Promise<Served>((resolve) => {
        arrived = resolve;
        setTimeout(() => resolve({ error: 'The engine does not answer any more.' }), CHUNK_WITHIN_MS);
      });
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
