import { CoreError } from '@/core/errors';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { CHUNK, ChunkedSource, type Spill } from './chunked-source';

/** Room in memory that stands for a file, with how much there is. */
function roomFor(after: number, most = Infinity) {
  const told = { asked: 0, end: 0 };
  let bytes = new Uint8Array(0);
  const spill: Spill = {
    after,
    write: async (offset, from) => {
      if (offset + from.length > most) throw new Error('full');
      // It is written from its start to its end, without gaps.
      expect(offset).toBe(told.end);
      told.end = offset + from.length;
      bytes = new Uint8Array([...bytes, ...from]);
    },
    read: async (offset, into) => {
      if (offset + into.length > told.end) throw new RangeError('it ends before');
      into.set(bytes.subarray(offset, offset + into.length));
    },
  };
  return { told, make: async () => ((told.asked += 1), spill) };
}

/** A stretch of content or of zeros, in chunks and a few bytes. */
const stretch = fc.record({ zeros: fc.boolean(), chunks: fc.nat(3), more: fc.nat(700) });

describe('what a file unpacks to', () => {
  it('is the same wherever its chunks are, in whatever pieces it comes and is read', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.array(stretch, { minLength: 1, maxLength: 6 }),
        fc.nat(4),
        fc.integer({ min: 1, max: 3 * CHUNK }),
        fc.array(fc.tuple(fc.nat(), fc.nat()), { minLength: 3, maxLength: 6 }),
        async (stretches, inMemory, piece, reads) => {
          const parts = stretches.map(({ zeros, chunks, more }, i) =>
            new Uint8Array(chunks * CHUNK + more).fill(zeros ? 0 : i + 1),
          );
          const whole = Buffer.concat(parts);
          const room = roomFor(inMemory * CHUNK);
          const source = new ChunkedSource('x', room.make);
          for (let at = 0; at < whole.length; at += piece) await source.append(whole.subarray(at, at + piece));
          await source.finish();
          expect(source.size).toBe(whole.length);
          const stored = [...source.occupied()];
          expect(room.told.end).toBe(Math.max(0, stored.length - inMemory) * CHUNK);
          expect(room.told.asked).toBeLessThan(2);
          const all = new Uint8Array(whole.length);
          await source.read(0, all);
          expect(Buffer.compare(all, whole)).toBe(0);
          for (const [a, b] of reads) {
            const start = a % (whole.length + 1);
            const part = new Uint8Array(b % (whole.length - start + 1)).fill(255);
            await source.read(start, part);
            expect(Buffer.compare(part, whole.subarray(start, start + part.length))).toBe(0);
          }
        },
      ),
      { numRuns: 40 },
    );
  });

  it('says that there is no room, and passes on what says so better', async () => {
    const bytes = new Uint8Array(5 * CHUNK).fill(1);
    const full = new ChunkedSource('card.gz', roomFor(CHUNK, 2 * CHUNK).make);
    await expect(full.append(bytes)).rejects.toMatchObject({ code: 'image.no-room' });
    const own = new CoreError('storage.full', { wanted: 1 });
    const failing: Spill = { after: 0, write: () => Promise.reject(own), read: async () => undefined };
    await expect(new ChunkedSource('card.gz', async () => failing).append(bytes)).rejects.toBe(own);
  });
});
