/** Which tab may change what is stored: the one whose engine holds the bench. It is held as long as the worker lives. */
import { CoreError } from '@/core/errors';

const NAME = 'ullager-bench';

/** The part of a lock manager that is needed; a browser without one has one tab for each storage, as far as can be told. */
export type Locks = Pick<LockManager, 'request'>;

export class BenchLock {
  #held: boolean;

  constructor(private readonly locks: Locks | undefined) {
    this.#held = locks === undefined;
  }

  /** Takes the bench if nobody has it; whether it is held here then. */
  async hold(): Promise<boolean> {
    const { locks } = this;
    if (this.#held || !locks) return this.#held;
    this.#held = await new Promise<boolean>((resolve, reject) => {
      locks
        .request(NAME, { ifAvailable: true }, (lock) => {
          resolve(lock !== null);
          return lock ? new Promise<never>(() => undefined) : undefined;
        })
        .catch(reject);
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
