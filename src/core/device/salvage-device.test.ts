import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { MediumDevice, MemoryDevice, SalvageDevice } from '.';

const SECTORS = 64;

describe('a device that fails, read as far as it goes', () => {
  it('gives every byte outside the sectors that fail, zeros inside, and tells exactly those', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.uniqueArray(fc.nat(SECTORS - 1), { maxLength: 12 }),
        fc.nat(SECTORS * 512 - 1),
        fc.nat(SECTORS * 512),
        async (failing, offset, wanted) => {
          const memory = new MemoryDevice(
            Uint8Array.from({ length: SECTORS * 512 }, (_, i) => (i % 251) + 1),
            512,
          );
          const dead = failing.map((n) => ({ start: n * 512, end: (n + 1) * 512 }));
          const medium = new MediumDevice(memory, { read: 1e9, write: 1e9, seek: 0, weak: [], dead });
          let lost = 0;
          const device = new SalvageDevice(medium, (_, bytes) => (lost += bytes));
          const length = Math.min(wanted, device.size - offset);
          const got = await device.bytes(offset, length);
          let expected = 0;
          for (let i = 0; i < length; i++) {
            const isDead = failing.includes(Math.floor((offset + i) / 512));
            if (isDead) expected += 1;
            if (got[i] !== (isDead ? 0 : memory.buffer[offset + i])) throw new Error(`byte ${offset + i}`);
          }
          expect(lost).toBe(expected);
        },
      ),
    );
  });

  it('tries again what answers at a further try, and is never written', async () => {
    let asked = 0;
    class Worn extends MemoryDevice {
      protected override async readAt(offset: number, into: Uint8Array): Promise<void> {
        asked += 1;
        if (asked < 3) {
          const { CoreError } = await import('@/core/errors');
          throw new CoreError('device.read-failed', { offset, length: into.length });
        }
        return super.readAt(offset, into);
      }
    }
    const told: number[] = [];
    const device = new SalvageDevice(new Worn(new Uint8Array(512).fill(9), 512), (offset) => told.push(offset));
    expect((await device.bytes(0, 512)).every((b) => b === 9)).toBe(true);
    expect(told).toEqual([]);
    expect(() => device.write(0, Uint8Array.of(1))).toThrow(RangeError);
  });
});
