/**
 * The worker's entry: the engine behind the seam. The page waits for whether it holds the bench and is shown then, so that
 * is answered first: scripts that a worker fetches hold up all that it is asked.
 */
import { expose } from 'comlink';
import { beat, BEAT_EVERY_MS } from './beat';
import { BenchLock } from './bench-lock';
import { installErrorTransfer } from './error-transfer';
import type { EngineHost } from './host';
import type { EngineApi } from './protocol';

type Call = (...args: unknown[]) => unknown;

const lock = new BenchLock(globalThis.navigator?.locks);
let coming: Promise<EngineHost> | undefined;

const engine = (): Promise<EngineHost> => (coming ??= begin());

async function begin(): Promise<EngineHost> {
  try {
    const { EngineHost } = await import('./host');
    return new EngineHost(undefined, lock);
  } catch (error) {
    // A worker without an engine ends as one that died: whoever asked is told, and the next call begins another.
    setTimeout(() => {
      throw error;
    });
    throw error;
  }
}

const AT_ONCE: Pick<EngineApi, 'hold' | 'whenFree'> = {
  hold: (patiently) => lock.hold(patiently).finally(() => setTimeout(() => void engine().catch(() => undefined))),
  whenFree: () => lock.whenFree(),
};

const later =
  (method: string): Call =>
  async (...args) => {
    const host = await engine();
    return (host[method as keyof EngineApi] as Call).apply(host, args);
  };

installErrorTransfer();
expose(new Proxy(AT_ONCE, { get: (own, method: string) => own[method as keyof typeof AT_ONCE] ?? later(method) }));
setInterval(beat, BEAT_EVERY_MS);
