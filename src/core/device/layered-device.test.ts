/** Layers of a disk: what is on top is read, what is taken off is as it never was, what is merged stays as it is. */
import { rounds } from '@/core/fixtures/rounds';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { LayeredDevice, MemoryDevice, OverlayDevice } from '.';
import { deviceCompliance } from './fixtures/compliance';

const SIZE = 300 * 1024;

const base = (): MemoryDevice => {
  const device = new MemoryDevice(new Uint8Array(SIZE));
  for (let i = 0; i < SIZE; i++) device.buffer[i] = (i * 31) & 0xff;
  return device;
};

deviceCompliance('layers', async (size) => {
  const bottom = await OverlayDevice.open(new MemoryDevice(new Uint8Array(size)));
  return new LayeredDevice([bottom, await OverlayDevice.open(bottom)]);
});

const place = fc.nat(SIZE - 1);
const length = fc.integer({ min: 1, max: 90_000 });
const act = fc.oneof(
  fc.record({ kind: fc.constant('write' as const), at: place, length, from: fc.nat(255) }),
  fc.record({ kind: fc.constant('copy' as const), at: place, length, from: place }),
  fc.record({ kind: fc.constant('discard' as const), at: place, length, from: fc.constant(0) }),
  fc.record({ kind: fc.constant('place' as const), at: place, length, from: fc.nat(9) }),
);
type Act = typeof act extends fc.Arbitrary<infer A> ? A : never;

async function perform(device: LayeredDevice, { kind, at, length: wanted, from }: Act): Promise<void> {
  const size = Math.min(wanted, SIZE - at, kind === 'copy' ? SIZE - from : SIZE);
  if (kind === 'write') await device.write(at, new Uint8Array(size).fill(from));
  else if (kind === 'discard') await device.discard(at, size);
  else if (kind === 'place') await device.place(at, size, from, 7);
  else if (at <= from || from + size <= at) await device.copy(from, at, size);
}

describe('layers of a disk', () => {
  it('come off one by one, and merge from below, with every byte as it was', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.array(fc.array(act, { maxLength: 8 }), { minLength: 2, maxLength: 4 }),
        fc.nat(3),
        async (runs, merged) => {
          const bottom = base();
          const device = new LayeredDevice([await OverlayDevice.open(bottom)]);
          const states: Uint8Array[] = [];
          for (const [i, acts] of runs.entries()) {
            if (i > 0) device.push(await OverlayDevice.open(device.top));
            for (const one of acts) await perform(device, one);
            states.push(await device.bytes(0, SIZE));
          }
          const count = 1 + (merged % runs.length);
          const into = await OverlayDevice.open(bottom);
          await device.layers[count - 1]!.mergeInto(into, bottom);
          expect(Buffer.compare(await into.bytes(0, SIZE), states[count - 1]!)).toBe(0);
          device.replaceLowest(count, into);
          for (let i = runs.length - 1; i >= count - 1; i--) {
            expect(Buffer.compare(await device.bytes(0, SIZE), states[i]!)).toBe(0);
            if (i >= count) device.pop();
          }
          expect(device.layers).toHaveLength(1);
          expect(() => device.pop()).toThrow(RangeError);
          expect(Buffer.compare(bottom.buffer, base().buffer)).toBe(0);
        },
      ),
      { numRuns: rounds(60, 2000) },
    );
  });
});
