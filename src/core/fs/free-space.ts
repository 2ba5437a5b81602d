/**
 * Free runs of allocation units, by size class, so that a fitting run is found without looking at every one.
 * Deterministic: the same runs asked for the same lengths give the same answer.
 */

/** A run of allocation units. */
export interface Run {
  readonly start: number;
  readonly length: number;
}

const LOOK_AT = 16;

export class FreeSpace {
  readonly #classes: Run[][] = Array.from({ length: 54 }, () => []);
  #total = 0;

  constructor(runs: Iterable<Run>) {
    for (const run of runs) this.#add(run);
    for (const runs of this.#classes) runs.reverse();
  }

  get total(): number {
    return this.#total;
  }

  /**
   * Takes `length` units in as few runs as it can: one that fits closely, else the largest there are.
   * @returns the runs in order, or undefined (and nothing taken) when there are too few units
   */
  take(length: number): Run[] | undefined {
    if (length > this.#total) return undefined;
    const out: Run[] = [];
    for (let left = length; left > 0;) {
      const run = this.#fitting(left) ?? this.#largest();
      const used = Math.min(left, run.length);
      out.push({ start: run.start, length: used });
      this.#total -= run.length;
      if (used < run.length) this.#add({ start: run.start + used, length: run.length - used });
      left -= used;
    }
    return out;
  }

  #add(run: Run): void {
    if (run.length === 0) return;
    this.#classes[Math.floor(Math.log2(run.length))]!.push(run);
    this.#total += run.length;
  }

  #fitting(length: number): Run | undefined {
    const own = this.#classes[Math.floor(Math.log2(length))]!;
    for (let i = own.length - 1; i >= Math.max(0, own.length - LOOK_AT); i--) {
      if (own[i]!.length >= length) return own.splice(i, 1)[0];
    }
    const above = Math.floor(Math.log2(length)) + 1;
    for (let c = above; c < this.#classes.length; c++) {
      const run = this.#classes[c]!.pop();
      if (run) return run;
    }
    return undefined;
  }

  #largest(): Run {
    for (let c = this.#classes.length - 1; c >= 0; c--) {
      const run = this.#classes[c]!.pop();
      if (run) return run;
    }
    throw new RangeError('no free run is left');
  }
}
