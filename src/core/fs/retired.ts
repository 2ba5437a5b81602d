/** Allocation units that are taken out of use, and what of others lies on them. Numbers are of units, not bytes. */
import { firstAfter } from '@/core/bytes';
import type { Run } from './free-space';
import type { ByteRange } from './port';
import { joinRanges, overlapsAny } from './ranges';

/** A piece of a run: all of it lies on units that are taken out of use, or nothing. */
interface Piece extends Run {
  readonly lost: boolean;
}

export class Retired {
  static readonly none = new Retired([]);

  readonly #ranges: readonly ByteRange[];

  /** @param runs in any order; those that touch are joined */
  constructor(runs: readonly Run[]) {
    this.#ranges = joinRanges(runs.map(({ start, length }) => ({ start, end: start + length })));
  }

  /**
   * The units that places touch.
   * @param places bytes of the volume
   * @param origin the byte at which the first unit begins, which has the number `first`
   */
  static touching(places: readonly ByteRange[], origin: number, unit: number, first: number, count: number): Retired {
    const runs = places.map(({ start, end }): Run => {
      const from = Math.max(0, Math.floor((start - origin) / unit));
      const to = Math.min(count, Math.ceil((end - origin) / unit));
      return { start: first + from, length: Math.max(0, to - from) };
    });
    return new Retired(runs);
  }

  get runs(): Run[] {
    return this.#ranges.map(({ start, end }) => ({ start, length: end - start }));
  }

  get isEmpty(): boolean {
    return this.#ranges.length === 0;
  }

  /** Whether anything of a run lies on them. */
  meets(start: number, length: number): boolean {
    return overlapsAny(this.#ranges, start, start + length);
  }

  /** These without some others. */
  except(others: readonly Run[]): Retired {
    return new Retired(new Retired(others).without(this.runs));
  }

  /** These and some others. */
  and(others: readonly Run[]): Retired {
    return new Retired([...this.runs, ...others]);
  }

  /** Runs without what of them lies on these. */
  without(runs: Iterable<Run>): Run[] {
    const out: Run[] = [];
    for (const { start, length } of runs)
      for (const piece of this.pieces(start, length))
        if (!piece.lost) out.push({ start: piece.start, length: piece.length });
    return out;
  }

  /** A run in order, cut where it gets onto these and off them. */
  *pieces(start: number, length: number): Generator<Piece> {
    const end = start + length;
    let at = start;
    for (let i = firstAfter(this.#ranges, start); at < end; i++) {
      const next = this.#ranges[i];
      const from = Math.min(end, Math.max(at, next?.start ?? end));
      if (from > at) yield { start: at, length: from - at, lost: false };
      const to = Math.min(end, next?.end ?? end);
      if (to > from) yield { start: from, length: to - from, lost: true };
      at = Math.max(from, to);
    }
  }
}

/** Ranges without what of them lies on others. */
export function notOn(ranges: readonly ByteRange[], others: readonly ByteRange[]): ByteRange[] {
  const runs = (all: readonly ByteRange[]): Run[] => all.map(({ start, end }) => ({ start, length: end - start }));
  const left = new Retired(runs(others)).without(runs(ranges));
  return left.map(({ start, length }) => ({ start, end: start + length }));
}

/** What a volume says of stretches of it that are marked bad; nothing where there are none. */
export const outOfUse = (stretches: readonly Run[]): { outOfUse?: readonly ByteRange[] } =>
  stretches.length === 0
    ? {}
    : { outOfUse: joinRanges(stretches.map(({ start, length }) => ({ start, end: start + length }))) };
