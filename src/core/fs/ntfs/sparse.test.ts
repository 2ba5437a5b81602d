/** Stretches of files with holes come to what went in, whole units each, and nothing is held for long. */
import { rounds } from '@/core/fixtures/rounds';
import fc from 'fast-check';
import { expect, it } from 'vitest';
import type { ContentRun } from '../port';
import { HOLE_CLUSTERS, sparseStretches } from './sparse';

const CLUSTER = 512;
const UNIT = CLUSTER * HOLE_CLUSTERS;

const run = fc.oneof(
  fc.nat(5 * UNIT).map((length): ContentRun => ({ kind: 'zeros', length })),
  fc.uint8Array({ maxLength: 300 }).map((bytes): ContentRun => ({ kind: 'bytes', bytes: bytes.map((b) => b | 1) })),
  fc
    .constantFrom(UNIT, UNIT - 1, 3 * UNIT, 40)
    .map((n): ContentRun => ({ kind: 'bytes', bytes: new Uint8Array(n).fill(7) })),
);

const lengthOf = (one: ContentRun): number => (one.kind === 'bytes' ? one.bytes.length : one.length);

function put(into: Uint8Array, at: number, runs: readonly ContentRun[]): number {
  let to = at;
  for (const one of runs) {
    if (one.kind === 'bytes') into.set(one.bytes, to);
    to += lengthOf(one);
  }
  return to;
}

async function* inOrder(runs: readonly ContentRun[]): AsyncGenerator<ContentRun> {
  yield* runs;
}

it('any content comes to the same, in whole units that do not touch what is before them', async () => {
  await fc.assert(
    fc.asyncProperty(fc.array(run, { maxLength: 30 }), async (runs) => {
      const size = runs.reduce((sum, r) => sum + lengthOf(r), 0);
      const wanted = new Uint8Array(size);
      put(wanted, 0, runs);
      const found = new Uint8Array(size);
      let last = 0;
      for await (const { start, end, runs: own, length } of sparseStretches(inOrder(runs), size, CLUSTER)) {
        expect([start % UNIT, end % UNIT]).toEqual([0, 0]);
        expect(start).toBeGreaterThanOrEqual(last);
        expect(end).toBeGreaterThan(start);
        expect(length).toBe(Math.min(end, size) - start);
        expect(put(found, start, own)).toBe(start + length);
        for (let at = start; at < end; at += UNIT)
          expect(
            wanted.subarray(at, at + UNIT).some((b) => b !== 0),
            `the unit at ${at} is no hole`,
          ).toBe(true);
        last = end;
      }
      expect(Buffer.compare(found, wanted)).toBe(0);
    }),
    { numRuns: rounds(300, 5000) },
  );
});

it('what is in hand goes on its way before the whole of it has come', async () => {
  let asked = 0;
  async function* decoded(): AsyncGenerator<ContentRun> {
    for (; asked < 400; asked++) yield { kind: 'bytes', bytes: new Uint8Array(65_536).fill(9) };
  }
  const seen: number[] = [];
  for await (const { length } of sparseStretches(decoded(), 400 * 65_536, 4096)) {
    seen.push(asked);
    expect(length).toBeLessThanOrEqual(5 * 1024 * 1024);
  }
  expect(seen.length).toBeGreaterThan(4);
  expect(seen[0]).toBeLessThan(100);
});
