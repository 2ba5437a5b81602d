/** Allocation units that are taken out of use, and what of others lies on them. Numbers are of units, not bytes. */
import type { Run } from './free-space';
import type { ByteRange } from './port';
import { firstAfter, joinRanges, overlapsAny } from './ranges';

/** A piece of a run: all of it lies on units that are taken out of use, or nothing. */
interface Piece extends Run {
  readonly lost: boolean;
}

export class Retired {
  static readonly none = new Retired([]);

  /** @param ranges of units; sorted and joined here */
  constructor(ranges: readonly ByteRange[]) {
    this.#ranges = joinRanges(ranges);
  }

  readonly #ranges: readonly ByteRange[];

  /**
   * The units that places touch.
   * @param places bytes of the volume
   * @param origin the byte at which the first unit begins, which has the number `first`
   */
  static touching(places: readonly ByteRange[], origin: number, unit: number, first: number, count: number): Retired {
    return new Retired(
      places.map(({ start, end }) => ({
        start: first + Math.max(0, Math.floor((start - origin) / unit)),
        end: first + Math.min(count, Math.max(0, Math.ceil((end - origin) / unit))),
      })),
    );
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
    const out = new Retired(others.map((r) => ({ start: r.start, end: r.start + r.length }))).without(this.runs);
    return new Retired(out.map((r) => ({ start: r.start, end: r.start + r.length })));
  }

  /** Runs without what of them lies on these. */
  without(runs: Iterable<Run>): Run[] {
    const out: Run[] = [];
    for (const { start, length } of runs)
      for (const piece of this.pieces(start, length))
        if (!piece.lost) out.push({ start: piece.start, length: piece.length });
    return out;
  }

  /** A run in order, parted where it gets onto these and off them. */
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
