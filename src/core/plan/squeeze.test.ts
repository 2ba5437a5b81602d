import fc from 'fast-check';
import { rounds } from '@/core/fixtures/rounds';
import { describe, expect, it } from 'vitest';
import { cases, play, reachable, tight } from './fixtures/pieces';
import { orderMoves, type Piece } from './order-moves';
import { orderSqueezed, type Yielding } from './squeeze';

/** How short each piece gets, by its number; those that are none shorter do not yield. */
const yieldingOf = (pieces: readonly Piece[], least: readonly number[]): Yielding[] =>
  pieces.map(({ number, length }, i) => ({
    number,
    shortest: Math.max(1, length - least[i]!),
    cost: (to) => (length - to) * (i + 1),
  }));

const squeezed = (pieces: readonly Piece[], lengths: ReadonlyMap<number, number>): Piece[] =>
  pieces.map((p) => ({ ...p, length: lengths.get(p.number) ?? p.length }));

const shortest = (pieces: readonly Piece[], yielding: readonly Yielding[]): Piece[] =>
  squeezed(pieces, new Map(yielding.map((y) => [y.number, y.shortest])));

const withRoom = fc.record({
  pieces: cases(4),
  least: fc.array(fc.nat(2), { minLength: 4, maxLength: 4 }),
  loose: fc.boolean(),
});

describe('volumes made smaller for a time', () => {
  it('give room wherever any sequence leads there with all of them as short as they get', () => {
    let only = 0;
    fc.assert(
      fc.property(withRoom, ({ pieces: strict, least, loose }) => {
        const pieces = strict.map((p) => ({ ...p, yields: loose }));
        const within = tight(pieces);
        const yielding = yieldingOf(pieces, least);
        const plain = orderMoves(pieces, within);
        const found = orderSqueezed(pieces, within, yielding);
        const some = yielding.some((y, i) => y.shortest < pieces[i]!.length);
        expect(found !== undefined).toBe(some && reachable(shortest(pieces, yielding), within.last));
        if (!found) return;
        if (!plain.ok) only += 1;
        const meanwhile = squeezed(pieces, found.lengths);
        expect(play(meanwhile, found.moves)).toEqual(pieces.map((p) => p.target));
        for (const [number, length] of found.lengths) {
          expect(length).toBeGreaterThanOrEqual(yielding[number - 1]!.shortest);
          expect(length).toBeLessThan(pieces[number - 1]!.length);
        }
        expect(orderSqueezed(pieces, within, yielding)).toEqual(found);
      }),
      // One in about 45 needs volumes that get shorter for a time.
      { numRuns: rounds(600, 4000) },
    );
    expect(only).toBeGreaterThan(5);
  });

  it('give no more than is needed, and the cheapest gives it', () => {
    const pieces = [
      { number: 1, start: 0, length: 30, target: 30, carries: 1 },
      { number: 2, start: 30, length: 30, target: 0, carries: 1 },
      { number: 3, start: 60, length: 100, target: 60, carries: 1 },
      { number: 4, start: 160, length: 100, target: 160, carries: 1 },
    ];
    const yielding = [3, 4].map((number) => ({
      number,
      shortest: 10,
      cost: (to: number) => (100 - to) * (5 - number),
    }));
    const found = orderSqueezed(pieces, { first: 0, last: 260, alignment: 1 }, yielding);
    expect([...found!.lengths]).toEqual([[4, 70]]);
    expect(found!.moves.map((m) => m.number)).toEqual([1, 2, 1]);
  });

  it('are found among two dozen in no time', () => {
    const pieces = Array.from({ length: 24 }, (_, i) => ({
      number: i + 1,
      start: i * 10,
      length: 10,
      target: ((i + 1) % 24) * 10,
      carries: 1,
    }));
    const yielding = pieces.map(({ number }) => ({ number, shortest: 4, cost: (to: number) => 10 - to }));
    const found = orderSqueezed(pieces, { first: 0, last: 240, alignment: 1 }, yielding);
    expect(found && play(squeezed(pieces, found.lengths), found.moves)).toEqual(pieces.map((p) => p.target));
  });
});
