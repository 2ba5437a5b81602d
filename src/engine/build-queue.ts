/**
 * Practice disks are built one after the other, and behind whatever a person waits for: one that is asked for comes next,
 * and while an image is being opened none is built at all.
 */
import type { Survey } from '@/core/inspect';

type Build = (between: () => Promise<void>) => Promise<Survey>;

interface Waiting {
  readonly id: string;
  readonly build: Build;
  readonly done: (outcome: Promise<Survey>) => void;
}

/** Milliseconds of building after which others have their turn. */
const TURN_MS = 30;

export class BuildQueue {
  #waiting: Waiting[] = [];
  /** Of each that was added, when it is there or has failed. */
  readonly #settled = new Map<string, Promise<void>>();
  #held = 0;
  #released: (() => void) | undefined;
  #going = false;
  #turn = 0;

  /** Has a disk built when it is its turn. */
  add(id: string, build: Build): Promise<Survey> {
    const built = new Promise<Survey>((resolve) => this.#waiting.push({ id, build, done: resolve }));
    this.#settled.set(
      id,
      built.then(
        () => undefined,
        () => undefined,
      ),
    );
    void this.#go();
    return built;
  }

  /** Waits for a disk that is to be built, which then comes next; one that is not is not waited for. */
  async first(id: string): Promise<void> {
    this.#waiting.sort((a, b) => Number(b.id === id) - Number(a.id === id));
    await this.#settled.get(id);
  }

  /** Nothing is built until what this returns is called. */
  hold(): () => void {
    this.#held += 1;
    let released = false;
    return () => {
      if (released) return;
      released = true;
      this.#held -= 1;
      if (this.#held === 0) this.#released?.();
    };
  }

  async #go(): Promise<void> {
    if (this.#going) return;
    this.#going = true;
    for (;;) {
      await this.#breathe();
      const next = this.#waiting.shift();
      if (!next) break;
      const built = next.build(() => this.#between());
      next.done(built);
      await built.catch(() => undefined);
    }
    this.#going = false;
  }

  async #between(): Promise<void> {
    if (performance.now() - this.#turn > TURN_MS || this.#held > 0) await this.#breathe();
  }

  async #breathe(): Promise<void> {
    await new Promise((resolve) => setTimeout(resolve));
    while (this.#held > 0) await new Promise<void>((resolve) => (this.#released = resolve));
    this.#turn = performance.now();
  }
}
