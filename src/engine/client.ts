/**
 * The page's end of the seam. A worker that dies rejects whatever waits on it, and the next call begins a new one; one that
 * says nothing any more is told of, since a browser may take a worker away without a word.
 */
import { proxy, transfer, wrap, type Remote } from 'comlink';
import { BEAT_EVERY_MS, isBeat } from './beat';
import { installErrorTransfer } from './error-transfer';
import type { EngineApi } from './protocol';

/** The engine's worker has gone; the run it was on can be resumed. */
export class EngineDied extends Error {
  constructor(cause?: unknown) {
    super('The engine stopped unexpectedly. What was kept is whole: a run goes on where it was.', { cause });
    this.name = 'EngineDied';
  }
}

interface Living {
  readonly remote: Remote<EngineApi>;
  readonly worker: Worker;
  readonly death: Promise<never>;
  readonly die: (cause: unknown) => void;
  /** When it was last heard of. */
  heard: number;
}

/** Long enough for whatever it does in one go, short enough for somebody who waits. */
const SILENT_AFTER_MS = 12_000;

let living: Living | undefined;
const deathListeners = new Set<() => void>();

function begin(): Living {
  installErrorTransfer();
  const worker = new Worker(new URL('./worker.ts', import.meta.url), { type: 'module', name: 'ullager-engine' });
  let reject = (_: EngineDied): void => undefined;
  const death = new Promise<never>((_, no) => (reject = no));
  death.catch(() => undefined);
  const die = (cause: unknown): void => {
    worker.terminate();
    if (living?.worker !== worker) return;
    living = undefined;
    reject(new EngineDied(cause));
    for (const listener of deathListeners) listener();
  };
  const begun: Living = { worker, remote: wrap<EngineApi>(worker), death, die, heard: Date.now() };
  worker.addEventListener('error', die);
  worker.addEventListener('messageerror', die);
  worker.addEventListener('message', ({ data }: MessageEvent<unknown>) => {
    if (isBeat(data)) begun.heard = Date.now();
  });
  return begun;
}

/** Told whether the engine is silent, whenever that changes; returns the way to stop listening. */
export function watchEngine(callback: (silent: boolean) => void): () => void {
  let silent = false;
  let looked = Date.now();
  const timer = setInterval(() => {
    const now = Date.now();
    // A page that slept itself can't say how long the other was silent.
    if (living && now - looked > 3 * BEAT_EVERY_MS) living.heard = now;
    looked = now;
    const is = living !== undefined && now - living.heard > SILENT_AFTER_MS;
    if (is !== silent) callback(is);
    silent = is;
  }, BEAT_EVERY_MS);
  return () => clearInterval(timer);
}

/** Gives a worker up that says nothing any more. What waits on it is rejected, and the next call begins a new one. */
export function giveUpEngine(): void {
  living?.die('silent');
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
