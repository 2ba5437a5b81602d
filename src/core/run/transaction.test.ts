import { MemoryDevice } from '@/core/device';
import { seededRandom } from '@/core/practice';
import fc from 'fast-check';
import type { Plan } from '@/core/plan';
import { describe, expect, it } from 'vitest';
import { applyNow, MemoryJournal } from '.';
import { commitToJournal, replay } from './commit';
import { PendingWrites } from './pending-writes';
import { StepTransaction } from './step-transaction';

const START = 0;
const STEP = 0;
const SIZE = 300_000 - (300_000 % 4096);

function noise(seed: number): Uint8Array {
  const random = seededRandom(seed);
  return Uint8Array.from({ length: SIZE }, () => Math.floor(random() * 256));
}

const cost = { reads: 0, carries: 0, writes: 0, seconds: 0 };
const NO_TABLE = { kind: 'none' } as const;
/** A plan of nothing but tables, on a disk without volumes. */
const PLAN: Plan = {
  relies: { size: SIZE, sectorSize: 512, table: NO_TABLE, volumes: [] },
  sources: [],
  lent: [],
  steps: Array.from({ length: STEP + 1 }, () => ({
    kind: 'table' as const,
    name: '',
    table: NO_TABLE,
    from: 'none' as const,
    volumes: 0,
    mends: [],
    cost,
  })),
  total: cost,
  leastCarried: 0,
  loses: { files: 0, bytes: 0 },
  hazards: [],
  after: [],
};

describe('gathered writes', () => {
  const write = fc.record({ at: fc.nat(SIZE - 1), length: fc.integer({ min: 1, max: 70_000 }), byte: fc.nat(255) });

  it.each([512, 4096])('come out as whole sectors of %i bytes that say what a buffer says', async (sectorSize) => {
    await fc.assert(
      fc.asyncProperty(fc.array(write, { maxLength: 12 }), fc.nat(SIZE - 5000), async (writes, look) => {
        const device = new MemoryDevice(noise(3), sectorSize);
        const model = device.buffer.slice();
        const pending = new PendingWrites(device);
        for (const { at, length, byte } of writes) {
          const bytes = new Uint8Array(Math.min(length, SIZE - at)).fill(byte);
          await pending.add(at, bytes);
          model.set(bytes, at);
        }
        const shown = device.buffer.slice(look, look + 5000);
        pending.overlay(look, shown);
        expect(Buffer.compare(shown, model.subarray(look, look + 5000))).toBe(0);
        let last = 0;
        for (const { offset, bytes } of pending.runs()) {
          expect([offset % sectorSize, bytes.length % sectorSize]).toEqual([0, 0]);
          expect(offset).toBeGreaterThanOrEqual(last);
          last = offset + bytes.length;
          device.buffer.set(bytes, offset);
        }
        expect(Buffer.compare(device.buffer, model)).toBe(0);
      }),
      { numRuns: 40 },
    );
  });
});

describe('a transaction', () => {
  const live = [
    { start: 0, end: 8192 },
    { start: 100_000, end: 150_000 },
  ];
  const open = (): { disk: MemoryDevice; tx: StepTransaction } => {
    const disk = new MemoryDevice(noise(5));
    return { disk, tx: new StepTransaction(disk, 4096, live) };
  };

  it('refuses to touch live bytes directly, by whatever operation', async () => {
    const { disk, tx } = open();
    const before = disk.buffer.slice();
    await expect(tx.copy(0, 99_999, 2)).rejects.toThrow('are live');
    await expect(tx.writeFree(8191, Uint8Array.of(1))).rejects.toThrow(RangeError);
    await expect(tx.clearFree(149_999, 10)).rejects.toThrow(RangeError);
    await expect(tx.placeFree(120_000, 1, 1, 0)).rejects.toThrow(RangeError);
    expect(Buffer.compare(disk.buffer, before)).toBe(0);
  });

  it('acts at once on free bytes and not before its commit on others', async () => {
    const { disk, tx } = open();
    await tx.copy(0, 8192, 8192);
    expect(disk.buffer.subarray(4096 + 8192, 4096 + 16_384)).toEqual(disk.buffer.subarray(4096, 4096 + 8192));
    const before = disk.buffer.slice();
    await tx.write(10, Uint8Array.of(9, 9, 9));
    expect(Buffer.compare(disk.buffer, before)).toBe(0);
    const seen = new Uint8Array(5);
    await tx.read(9, seen);
    expect([...seen.subarray(1, 4)]).toEqual([9, 9, 9]);
  });

  it('stops between chunks when it is told to', async () => {
    const abort = new AbortController();
    const tx = new StepTransaction(new MemoryDevice(new Uint8Array(SIZE)), 0, [], { signal: abort.signal });
    abort.abort();
    await expect(tx.copy(0, 8192, 4096)).rejects.toMatchObject({ name: 'AbortError' });
  });

  it('is the same from the journal as at once', async () => {
    const act = async (tx: StepTransaction): Promise<void> => {
      const random = seededRandom(11);
      for (let i = 0; i < 60; i++)
        await tx.write(Math.floor(random() * (SIZE - 9000)), new Uint8Array(1 + Math.floor(random() * 4000)).fill(i));
    };
    const once = new MemoryDevice(noise(6));
    await applyNow(once, START, [], (tx) => act(tx as StepTransaction));
    const disk = new MemoryDevice(noise(6));
    const journal = new MemoryJournal();
    // A first attempt that never committed leaves parts behind, which must not count.
    await journal.append({ kind: 'redo', step: 0, part: 0, extents: [[0, 512]] }, new Uint8Array(512).fill(0xee));
    const tx = new StepTransaction(disk, START, []);
    await act(tx);
    await commitToJournal(disk, journal, STEP, tx);
    await replay({ disk, journal }, { plan: PLAN, next: STEP });
    expect(Buffer.compare(disk.buffer, once.buffer)).toBe(0);
    await replay({ disk, journal }, { plan: PLAN, next: STEP });
    expect(Buffer.compare(disk.buffer, once.buffer)).toBe(0);
  });
});
