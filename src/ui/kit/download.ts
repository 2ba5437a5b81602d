/**
 * Saving a stream as a download without holding it in memory: the service worker answers a navigation with it. Where
 * there is no service worker the stream is gathered first.
 */
export async function downloadStream(name: string, size: number | undefined, stream: ReadableStream<Uint8Array>): Promise<void> {
  const worker = (await navigator.serviceWorker?.getRegistration())?.active;
  if (!worker) return downloadGathered(name, stream);
  const id = crypto.randomUUID();
  await new Promise<void>((resolve) => {
    const channel = new MessageChannel();
    channel.port1.onmessage = () => resolve();
    worker.postMessage({ id, name, size, stream }, [stream, channel.port2]);
  });
  const frame = document.createElement('iframe');
  frame.hidden = true;
  frame.src = `/download/${id}`;
  document.body.append(frame);
  setTimeout(() => frame.remove(), 60_000);
}

async function downloadGathered(name: string, stream: ReadableStream<Uint8Array>): Promise<void> {
  const blob = await new Response(stream as ReadableStream<Uint8Array<ArrayBuffer>>).blob();
  const link = document.createElement('a');
  link.href = URL.createObjectURL(blob);
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 60_000);
}

/** The picker for a file to save into, where the browser has one. */
type SavePicker = (options: { suggestedName: string }) => Promise<FileSystemFileHandle>;

export function savePicker(): SavePicker | undefined {
  return (window as unknown as { showSaveFilePicker?: SavePicker }).showSaveFilePicker?.bind(window);
}
