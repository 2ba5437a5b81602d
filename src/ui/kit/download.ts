/**
 * Saving as a download without holding it in memory: the service worker answers a navigation with the chunks that the
 * engine serves through a port.
 */
import { activeWorker } from './service-worker';

/** Longer than a service worker takes to wake up. */
const ANSWER_WITHIN_MS = 8000;

export async function download(name: string, size: number, serve: (port: MessagePort) => Promise<void>): Promise<void> {
  const worker = await activeWorker();
  if (!worker)
    throw new Error(
      'This browser has no service worker here, so nothing can be saved. Open the page over localhost or https.',
    );
  const { port1, port2 } = new MessageChannel();
  await serve(port1);
  const id = crypto.randomUUID();
  await new Promise<void>((resolve, reject) => {
    const answer = new MessageChannel();
    const silent = (): void =>
      reject(new Error('The browser does not begin the download. Load the page again and retry.'));
    const timer = setTimeout(silent, ANSWER_WITHIN_MS);
    answer.port1.onmessage = () => (clearTimeout(timer), resolve());
    worker.postMessage({ id, name, size }, [answer.port2, port2]);
  });
  const frame = document.createElement('iframe');
  frame.hidden = true;
  frame.src = `/download/${id}`;
  document.body.append(frame);
  setTimeout(() => frame.remove(), 60_000);
}

/** Saves words that are in hand. */
export function downloadText(name: string, type: string, text: string): void {
  save(name, new Blob([text], { type }));
}

/** Saves bytes that are in hand. */
export function downloadBytes(name: string, type: string, bytes: Uint8Array): void {
  save(name, new Blob([bytes as Uint8Array<ArrayBuffer>], { type }));
}

function save(name: string, blob: Blob): void {
  const link = document.createElement('a');
  link.href = URL.createObjectURL(blob);
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 60_000);
}

/** The picker for a folder to save into, where the browser has one. */
type FolderPicker = (options: { mode: 'readwrite' }) => Promise<FileSystemDirectoryHandle>;

export function folderPicker(): FolderPicker | undefined {
  return (window as unknown as { showDirectoryPicker?: FolderPicker }).showDirectoryPicker?.bind(window);
}

/** The picker for a file to save into, where the browser has one. */
type SavePicker = (options: { suggestedName: string }) => Promise<FileSystemFileHandle>;

export function savePicker(): SavePicker | undefined {
  return (window as unknown as { showSaveFilePicker?: SavePicker }).showSaveFilePicker?.bind(window);
}
