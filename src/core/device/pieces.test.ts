import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { PIECE_BYTES, readPieces, type Piece } from './pieces';

/** A device whose every byte tells its place, with what is under way, and a place from which on nothing can be read. */
function slowly(failsFrom = Infinity) {
  const told = { underWay: 0, most: 0 };
  const read = async (offset: number, into: Uint8Array): Promise<void> => {
    told.underWay += 1;
    told.most = Math.max(told.most, told.underWay);
    await new Promise((resolve) => setImmediate(resolve));
    told.underWay -= 1;
    if (offset + into.length > failsFrom) throw new RangeError(`none at ${offset}`);
    for (let i = 0; i < into.length; i += 4093) into[i] = (offset + i) % 251;
  };
  return { told, device: { read } };
}

const rangesOf = (lengths: readonly (readonly [number, number])[]): { start: number; end: number }[] => {
  let at = 0;
  return lengths.map(([gap, length]) => {
    const start = at + gap;
    at = start + length;
    return { start, end: at };
  });
};

const isOwn = ({ offset, bytes }: Piece): boolean => {
  for (let i = 0; i < bytes.length; i += 4093) if (bytes[i] !== (offset + i) % 251) return false;
  return true;
};

const shape = fc.array(fc.tuple(fc.nat(3000), fc.nat(3 * PIECE_BYTES)), { maxLength: 4 }).map(rangesOf);

describe('reading in pieces', () => {
  it('gives every byte of the ranges once, in order, as long as it may be used', async () => {
    await fc.assert(
      fc.asyncProperty(shape, async (ranges) => {
        const { device, told } = slowly();
        const found: { start: number; end: number }[] = [];
        for await (const piece of readPieces(device, ranges)) {
          // Whoever takes its time still has the piece that was given.
          await new Promise((resolve) => setImmediate(resolve));
          expect(isOwn(piece)).toBe(true);
          const last = found.at(-1);
          const end = piece.offset + piece.bytes.length;
          if (last?.end === piece.offset) last.end = end;
          else found.push({ start: piece.offset, end });
        }
        const wanted: { start: number; end: number }[] = [];
        for (const { start, end } of ranges.filter((r) => r.end > r.start)) {
          const last = wanted.at(-1);
          if (last?.end === start) last.end = end;
          else wanted.push({ start, end });
        }
        expect(found).toEqual(wanted);
        expect(told.most).toBeLessThan(2);
      }),
      { numRuns: 30 },
    );
  });

  it('leaves nothing under way where it is ended before its end, and tells what can’t be read after all before it', async () => {
    const range = [{ start: 0, end: 4 * PIECE_BYTES }];
    const ended = slowly();
    for await (const { offset } of readPieces(ended.device, range)) if (offset >= PIECE_BYTES) break;
    expect(ended.told.underWay).toBe(0);

    const failing = slowly(2 * PIECE_BYTES);
    const seen: number[] = [];
    await expect(
      (async () => {
        for await (const { offset } of readPieces(failing.device, range)) seen.push(offset);
      })(),
    ).rejects.toThrow(`none at ${2 * PIECE_BYTES}`);
    expect(seen).toEqual([0, PIECE_BYTES]);
    expect(failing.told.underWay).toBe(0);
  });

  it('shares its buffers with nobody who reads at the same time', async () => {
    const range = [{ start: 0, end: 3 * PIECE_BYTES + 5 }];
    const { device } = slowly();
    const all = Array.from({ length: 6 }, async (_, i) => {
      for await (const piece of readPieces(
        device,
        range.map((r) => ({ start: r.start + 7 * i, end: r.end + 7 * i })),
      ))
        expect(isOwn(piece)).toBe(true);
    });
    await Promise.all(all);
  });
});
