/** Which tab may change what is stored: the one whose engine holds the bench. It is held as long as the worker lives. */
import { CoreError } from '@/core/errors';
import { dropSpilled } from './spill-files';

const NAME = 'ullager-bench';
/** Longer than a worker that is on its way out takes to let go, on most machines and on any. */
const WITHIN_MS = 1500;
const PATIENTLY_MS = 20_000;

/** The part of a lock manager that is needed; a browser without one has one tab for each storage, as far as can be told. */
export type Locks = Pick<LockManager, 'request'>;

export class BenchLock {
  #held: boolean;

  constructor(private readonly locks: Locks | undefined) {
    this.#held = locks === undefined;
  }

  /**
   * Takes the bench if nobody has it, or lets go of it within a moment; whether it is held here then.
   * @param patiently waits longer, for a tab that had it and knows that it was only loaded anew
   */
  async hold(patiently = false): Promise<boolean> {
    const held = await this.#take(patiently);
    // Nothing is open yet of this tab, and what others have open stays.
    if (held) await dropSpilled();
    return held;
  }

  async #take(patiently: boolean): Promise<boolean> {
    const { locks } = this;
    if (this.#held || !locks) return this.#held;
    this.#held = await new Promise<boolean>((resolve, reject) => {
      const kept = (): Promise<never> => (resolve(true), new Promise<never>(() => undefined));
      // A page that was just loaded anew has its own worker of before to wait for.
      const signal = AbortSignal.timeout(patiently ? PATIENTLY_MS : WITHIN_MS);
      locks.request(NAME, { signal }, kept).catch((error: unknown) => {
        if ((error as Error).name === 'TimeoutError' || (error as Error).name === 'AbortError') resolve(false);
        else reject(error);
      });
    });
    return this.#held;
  }

  /** Returns when whoever holds the bench has let it go. */
  async whenFree(): Promise<void> {
    if (this.locks && !this.#held) await this.locks.request(NAME, () => undefined);
  }

  /** @throws CoreError `bench.held` where another tab has it */
  assertHeld(): void {
    if (!this.#held) throw new CoreError('bench.held', {});
  }
}
