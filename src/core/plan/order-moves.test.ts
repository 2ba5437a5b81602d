import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { cases, play, reachable, tight, UNITS } from './fixtures/pieces';
import { orderMoves } from './order-moves';
import { windowsOf } from './move-window';

const room = { first: 0, last: UNITS, alignment: 1 };

describe('the order of moves', () => {
  it('exists wherever any sequence leads there, and leads there', () => {
    fc.assert(
      fc.property(cases(5), fc.nat(2), (pieces, more) => {
        const within = tight(pieces, more);
        const order = orderMoves(pieces, within);
        expect(order.ok).toBe(reachable(pieces, within.last));
        if (order.ok) expect(play(pieces, order.moves)).toEqual(pieces.map((p) => p.target));
      }),
      { numRuns: 400 },
    );
  });

  it('is the same each time, and moves nothing that stays', () => {
    fc.assert(
      fc.property(cases(5), (pieces) => {
        const order = orderMoves(pieces, room);
        expect(orderMoves(pieces, room)).toEqual(order);
        if (!order.ok) return;
        const still = pieces.filter((p) => p.start === p.target).map((p) => p.number);
        expect(order.moves.filter((m) => still.includes(m.number))).toEqual([]);
      }),
    );
  });

  it('names the unallocated room that would do, and with it there is one', () => {
    let refused = 0;
    fc.assert(
      fc.property(cases(5), (pieces) => {
        const within = tight(pieces);
        const order = orderMoves(pieces, within);
        if (order.ok) return;
        refused += 1;
        expect(orderMoves(pieces, { ...within, last: within.last + order.needed }).ok).toBe(true);
        const elsewhere = [{ first: 1000, last: 1000 + order.needed }];
        expect(orderMoves(pieces, { ...within, elsewhere }).ok).toBe(true);
      }),
      { numRuns: 2000 },
    );
    expect(refused).toBeGreaterThan(5);
  });

  it('names room for more than the shortest where that would not do', () => {
    const pieces = [
      { number: 1, start: 0, length: 2, target: 3, carries: 1 },
      { number: 2, start: 2, length: 1, target: 0, carries: 1 },
      { number: 3, start: 3, length: 2, target: 1, carries: 1 },
    ];
    expect(orderMoves(pieces, { first: 0, last: 5, alignment: 1 })).toEqual({ ok: false, stuck: [1, 2, 3], needed: 2 });
  });

  it('sets the one aside that carries least when two change places', () => {
    const pieces = [
      { number: 1, start: 0, length: 3, target: 3, carries: 50 },
      { number: 2, start: 3, length: 3, target: 0, carries: 2 },
    ];
    const order = orderMoves(pieces, { first: 0, last: 9, alignment: 1 });
    expect(order).toMatchObject({ ok: true, moves: [{ number: 2, to: 6 }, { number: 1 }, { number: 2, to: 0 }] });
    expect(orderMoves(pieces, { first: 0, last: 6, alignment: 1 })).toEqual({ ok: false, stuck: [1, 2], needed: 3 });
  });

  it('shifts a hundred neighbours in the right direction, in no time', () => {
    for (const by of [-1, 1]) {
      const pieces = Array.from({ length: 100 }, (_, i) => ({
        number: i + 1,
        start: 10 + i * 10,
        length: 10,
        target: 10 + i * 10 + by,
        carries: 1,
      }));
      const order = orderMoves(pieces, { first: 0, last: 2000, alignment: 1 });
      expect(order.ok && play(pieces, order.moves)).toEqual(pieces.map((p) => p.target));
      expect(order.ok && order.moves.length).toBe(100);
    }
  });
});

describe('the pieces of a move', () => {
  it('land only where nothing of it is left to be read, and cover it once', () => {
    const far = fc.integer({ min: -40, max: 40 }).filter((n) => n !== 0);
    fc.assert(
      fc.property(far, fc.integer({ min: 1, max: 100 }), (by, length) => {
        const from = 100;
        const done: { start: number; end: number }[] = [];
        const windows = [...windowsOf(from, from + by, length)];
        for (const [i, { start, end }] of windows.entries()) {
          const target = { start: from + by + start, end: from + by + end };
          // Sources of this piece and of those to come, and those just read but not durable before this one began.
          for (const other of windows.slice(i)) {
            const clear = from + other.start >= target.end || target.start >= from + other.end;
            expect(clear).toBe(true);
          }
          done.push({ start, end });
        }
        const covered = done.sort((a, b) => a.start - b.start);
        expect(covered[0]!.start).toBe(0);
        expect(covered.at(-1)!.end).toBe(length);
        for (let i = 1; i < covered.length; i++) expect(covered[i]!.start).toBe(covered[i - 1]!.end);
      }),
    );
  });
});
