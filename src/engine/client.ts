/** The page's end of the seam. A worker that dies rejects whatever waits on it, and the next call begins a new one. */
import { proxy, transfer, wrap, type Remote } from 'comlink';
import { installErrorTransfer } from './error-transfer';
import type { EngineApi } from './protocol';

/** The engine's worker has gone; the run it was on can be resumed. */
export class EngineDied extends Error {
  constructor(cause?: unknown) {
    super('The engine stopped unexpectedly. Nothing is lost: open the disk again and resume.', { cause });
    this.name = 'EngineDied';
  }
}

interface Living {
  readonly remote: Remote<EngineApi>;
  readonly worker: Worker;
  readonly death: Promise<never>;
}

let living: Living | undefined;
const deathListeners = new Set<() => void>();

function begin(): Living {
  installErrorTransfer();
  const worker = new Worker(new URL('./worker.ts', import.meta.url), { type: 'module', name: 'ullager-engine' });
  const death = new Promise<never>((_, reject) => {
    const die = (event: Event): void => {
      worker.terminate();
      living = undefined;
      reject(new EngineDied(event));
      for (const listener of deathListeners) listener();
    };
    worker.addEventListener('error', die);
    worker.addEventListener('messageerror', die);
  });
  death.catch(() => undefined);
  return { worker, remote: wrap<EngineApi>(worker), death };
}

/** Calls the engine. Functions among the arguments must be wrapped with {@link listener}. */
export async function engine<K extends keyof EngineApi>(
  method: K,
  ...args: Parameters<EngineApi[K]>
): Promise<Awaited<ReturnType<EngineApi[K]>>> {
  living ??= begin();
  const call = living.remote[method] as unknown as (...args: unknown[]) => Promise<Awaited<ReturnType<EngineApi[K]>>>;
  return Promise.race([call(...args), living.death]);
}

/** A callback that the engine may call. */
export function listener<F extends (...args: never[]) => void>(callback: F): F {
  return proxy(callback as unknown as object) as unknown as F;
}

/** A port as an argument, given over to the engine. */
export function given(port: MessagePort): MessagePort {
  return transfer(port, [port]);
}

/** Told when the worker dies; returns the way to stop listening. */
export function onEngineDeath(callback: () => void): () => void {
  deathListeners.add(callback);
  return () => deathListeners.delete(callback);
}
