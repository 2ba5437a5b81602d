/**
 * Practice disks are built one after the other. One that somebody waits for is built at once; one that is only made ready
 * behind what is shown of it stands still while anything else goes on, and until nothing was asked for a while.
 */
import type { Survey } from '@/core/inspect';
import type { BuildWhen } from './protocol';

type Build = (between: () => Promise<void>) => Promise<Survey>;

interface Waiting {
  readonly id: string;
  readonly build: Build;
  readonly done: (outcome: Promise<Survey>) => void;
  when: BuildWhen;
}

/** Milliseconds of building after which others have their turn. */
const TURN_MS = 30;
/** Milliseconds without a question after which what nobody waits for goes on. */
const QUIET_MS = 3000;

export class BuildQueue {
  readonly #waiting: Waiting[] = [];
  /** Of each that was added, when it is there or has failed. */
  readonly #settled = new Map<string, Promise<void>>();
  readonly #asleep = new Set<() => void>();
  #current: Waiting | undefined;
  /** How many go on that were pulled out of the row, and how much else. */
  #pulled = 0;
  #held = 0;
  #going = false;
  #turn = 0;
  #asked = performance.now();

  constructor(private readonly quiet = QUIET_MS) {}

  /** Has a disk built when it is its turn. */
  add(id: string, build: Build, when: BuildWhen = 'now'): Promise<Survey> {
    const built = new Promise<Survey>((done) => {
      const waiting = { id, build, done, when };
      // One that nobody waits for may stand for as long as something else goes on.
      if (when === 'now' && this.#current?.when === 'behind') void this.#pull(waiting);
      else this.#waiting.push(waiting);
    });
    this.#settled.set(
      id,
      built.then(
        () => undefined,
        () => undefined,
      ),
    );
    this.#wake();
    void this.#go();
    return built;
  }

  /** Waits for a disk that is to be built, which is then built at once; one that is not is not waited for. */
  async first(id: string): Promise<void> {
    this.#asked = performance.now();
    const at = this.#waiting.findIndex((w) => w.id === id);
    const [pulled] = at < 0 ? [] : this.#waiting.splice(at, 1);
    if (pulled) void this.#pull(pulled);
    else if (this.#current?.id === id) this.#current.when = 'now';
    this.#wake();
    await this.#settled.get(id);
    this.#asked = performance.now();
  }

  /** What nobody waits for stands still until what this returns is called. */
  hold(): () => void {
    this.#held += 1;
    let released = false;
    return () => {
      if (released) return;
      released = true;
      this.#held -= 1;
      this.#asked = performance.now();
      this.#wake();
    };
  }

  async #go(): Promise<void> {
    if (this.#going) return;
    this.#going = true;
    for (;;) {
      await new Promise((resolve) => setTimeout(resolve));
      const [next] = this.#waiting.splice(this.#nextAt(), 1);
      if (!next) break;
      this.#current = next;
      await this.#build(next);
      this.#current = undefined;
    }
    this.#going = false;
  }

  /** Beyond the last where nothing is to be built by itself. */
  #nextAt(): number {
    for (const when of ['now', 'behind'] as const) {
      const at = this.#waiting.findIndex((w) => w.when === when);
      if (at >= 0) return at;
    }
    return this.#waiting.length;
  }

  async #pull(waiting: Waiting): Promise<void> {
    waiting.when = 'now';
    this.#pulled += 1;
    await this.#build(waiting);
    this.#pulled -= 1;
    this.#wake();
  }

  async #build(waiting: Waiting): Promise<void> {
    const between = (): Promise<void> => this.#between(waiting);
    const built = between().then(() => waiting.build(between));
    waiting.done(built);
    await built.catch(() => undefined);
  }

  async #between(waiting: Waiting): Promise<void> {
    if (performance.now() - this.#turn <= TURN_MS && !this.#stands(waiting)) return;
    await new Promise((resolve) => setTimeout(resolve));
    while (this.#stands(waiting)) await this.#change();
    this.#turn = performance.now();
  }

  #stands({ when }: Waiting): boolean {
    return when === 'behind' && (this.#held > 0 || this.#pulled > 0 || this.#untilQuiet() > 0);
  }

  #untilQuiet(): number {
    return this.#asked + this.quiet - performance.now();
  }

  async #change(): Promise<void> {
    const quiet = this.#untilQuiet();
    await new Promise<void>((resolve) => {
      this.#asleep.add(resolve);
      if (quiet > 0) setTimeout(resolve, quiet + 1);
    });
  }

  #wake(): void {
    for (const resolve of this.#asleep) resolve();
    this.#asleep.clear();
  }
}
