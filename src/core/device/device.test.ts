import { sameBytes } from '@/core/bytes';
import { describe, expect, it, vi } from 'vitest';
import { seededRandom } from '@/core/practice';
import {
  copyAcross,
  fillProcedural,
  LayeredDevice,
  MediumDevice,
  MemoryDevice,
  MeteredDevice,
  OverlayDevice,
  SparseDevice,
  UnreliableDevice,
  WindowDevice,
} from '.';
import { deviceCompliance } from './fixtures/compliance';
import { MemoryOverlayStore } from './fixtures/memory-overlay-store';

const never = { after: Infinity, random: Math.random };

deviceCompliance('a memory device', async (size) => new MemoryDevice(new Uint8Array(size)));
deviceCompliance('a sparse device', async (size) => new SparseDevice(size));
deviceCompliance('an overlay in memory', async (size) => OverlayDevice.open(new MemoryDevice(new Uint8Array(size))));
deviceCompliance('an overlay with a store', async (size) =>
  OverlayDevice.open(new SparseDevice(size), new MemoryOverlayStore()),
);
deviceCompliance(
  'a reliable unreliable device',
  async (size) => new UnreliableDevice(new MemoryDevice(new Uint8Array(size)), never),
);

describe('an overlay', () => {
  it('never writes its base and survives being opened again', async () => {
    const base = new MemoryDevice(new Uint8Array(512 * 1024).map((_, i) => i));
    const before = base.buffer.slice();
    const store = new MemoryOverlayStore();
    const overlay = await OverlayDevice.open(base, store);
    await overlay.write(1000, new Uint8Array(100_000).fill(7));
    await overlay.copy(300_000, 5000, 90_000);
    await overlay.discard(400_000, 1000);
    const shown = await overlay.bytes(0, base.size);
    await overlay.flush();
    const again = await OverlayDevice.open(base, store);
    expect(sameBytes(await again.bytes(0, base.size), shown)).toBe(true);
    expect(sameBytes(base.buffer, before)).toBe(true);
    expect(again.touched).toBe(true);
    await again.rewind();
    expect(sameBytes(await again.bytes(0, base.size), before)).toBe(true);
    expect(again.touched).toBe(false);
  });

  it('copies base content without storing a page', async () => {
    const store = new MemoryOverlayStore();
    const overlay = await OverlayDevice.open(new SparseDevice(2 ** 40), store);
    await overlay.copy(2 ** 39, 4096, 2 ** 38);
    await overlay.flush();
    expect(store.pages.size).toBe(0);
    expect(store.kept).toHaveLength(1);
  });

  it('is asked whether a range can be read of what its bytes come from, and makes up none of them', async () => {
    const disk = new SparseDevice(1024 * 1024);
    await disk.place(0, 1024 * 1024, 7, 0);
    const dead = [{ start: 512 * 1024, end: 513 * 1024 }];
    const base = new MediumDevice(disk, { read: 1e9, write: 1e9, seek: 0, weak: [], dead });
    const made = vi.spyOn(disk as unknown as { readOrigin(): Promise<void> }, 'readOrigin');
    const overlay = new LayeredDevice([await OverlayDevice.open(base)]);
    const fails = { code: 'device.read-failed' };
    await overlay.verify(0, 512 * 1024);
    await expect(overlay.verify(0, overlay.size)).rejects.toMatchObject(fails);
    await overlay.copy(512 * 1024, 0, 4096);
    await expect(overlay.verify(0, 4096)).rejects.toMatchObject(fails);
    expect(made).not.toHaveBeenCalled();
    await overlay.write(512 * 1024, new Uint8Array(1024));
    await overlay.discard(0, 1024);
    await overlay.verify(0, overlay.size);
  });

  it('says that it copies by reference through whatever it is looked at, unless that takes the time of a medium', async () => {
    const overlay = await OverlayDevice.open(new MemoryDevice(new Uint8Array(8192)));
    const model = { read: 1e9, write: 1e9, seek: 0, weak: [], dead: [] };
    const layered = new LayeredDevice([overlay]);
    const medium = new MediumDevice(layered, model);
    for (const device of [layered, medium, new MeteredDevice(medium), new WindowDevice(medium, 0, 4096)])
      expect(device.refers).toBe(true);
    medium.pace = 1;
    expect(medium.refers).toBe(false);
    expect(new MemoryDevice(new Uint8Array(512)).refers).toBe(false);
  });

  it('shows where procedural content comes from, also after a copy', async () => {
    const base = new SparseDevice(2 ** 30);
    await base.place(1 << 20, 1 << 20, 42, 0);
    const overlay = await OverlayDevice.open(base);
    await overlay.copy(1 << 20, 1 << 25, 1 << 20);
    expect(overlay.sources((1 << 25) + 4096, 8192)).toEqual([{ seed: 42, at: 4096, length: 8192 }]);
    await overlay.write((1 << 25) + 5000, Uint8Array.of(1));
    expect(overlay.sources((1 << 25) + 4096, 8192)).toBeUndefined();
  });
});

describe('procedural content', () => {
  it('is the same in any pieces', () => {
    const whole = new Uint8Array(5000);
    fillProcedural(77, 2 ** 34 - 1234, whole);
    for (const [from, to] of [
      [0, 5000],
      [1, 4],
      [333, 4999],
      [1230, 1240],
    ] as const) {
      const part = new Uint8Array(to - from);
      fillProcedural(77, 2 ** 34 - 1234 + from, part);
      expect(part).toEqual(whole.slice(from, to));
    }
  });

  it('does not repeat after 16 GiB', () => {
    const [a, b] = [new Uint8Array(64), new Uint8Array(64)];
    fillProcedural(5, 0, a);
    fillProcedural(5, 2 ** 34, b);
    expect(a).not.toEqual(b);
  });
});

describe('a power cut', () => {
  it('loses only what was not flushed', async () => {
    const inner = new MemoryDevice(new Uint8Array(8192));
    const device = new UnreliableDevice(inner, { after: 3, random: () => 0.1 });
    await device.write(0, new Uint8Array(512).fill(1));
    await device.flush();
    await device.write(512, new Uint8Array(512).fill(2));
    await expect(device.write(1024, new Uint8Array(512).fill(3))).rejects.toMatchObject({ code: 'device.power-cut' });
    expect(inner.buffer[0]).toBe(1);
    expect(inner.buffer[512]).toBe(0);
    await expect(device.bytes(0, 1)).rejects.toMatchObject({ code: 'device.power-cut' });
  });
});

describe('a copy from one device to another', () => {
  const MIB = 1024 * 1024;

  it('has the same bytes, whatever they are made of, and what is known stays a reference', async () => {
    const random = seededRandom(11);
    const source = new SparseDevice(24 * MIB);
    for (let i = 0; i < 40; i++) {
      const at = Math.floor(random() * 20 * MIB);
      const length = 1 + Math.floor(random() * 700_000);
      if (random() < 0.5) await source.place(at, length, i, at);
      else await source.write(at, new Uint8Array(Math.min(length, 5000)).fill(i));
    }
    await source.place(20 * MIB, 4 * MIB, 99, 7);
    const target = new SparseDevice(32 * MIB);
    await target.write(0, new Uint8Array(32 * MIB).fill(0xee));
    const overlay = await OverlayDevice.open(target);
    await copyAcross(source, 1000, overlay, 512, 24 * MIB - 1000);
    expect(Buffer.compare(await overlay.bytes(512, 24 * MIB - 1000), await source.bytes(1000, 24 * MIB - 1000))).toBe(
      0,
    );
    expect((await overlay.bytes(0, 512)).every((b) => b === 0xee)).toBe(true);
    expect((await overlay.bytes(24 * MIB, 8)).every((b) => b === 0xee)).toBe(true);
    expect(overlay.sources(21 * MIB, MIB)).toBeDefined();
  });

  it('is whole where both lie over one disk and the map of it changes on the way', async () => {
    const disk = new SparseDevice(64 * MIB);
    // More pieces where the copy goes than it has: the source moves forward in the map while it is copied.
    for (let i = 0; i < 40_000; i++) await disk.place(MIB + i * 450, 200, 7, i * 999);
    for (let i = 0; i < 6000; i++) await disk.place(40 * MIB + i * 3072, 1024, i, i);
    const length = 6000 * 3072;
    const source = await OverlayDevice.open(new WindowDevice(disk, 40 * MIB, 20 * MIB));
    const before = await source.bytes(0, length);
    await copyAcross(source, 0, disk, MIB, length);
    expect(Buffer.compare(await disk.bytes(MIB, length), before)).toBe(0);
  });
});

describe('reading an overlay', () => {
  const MIB = 1024 * 1024;

  it('gives what is there, though what it is read by changes before it is through', async () => {
    const random = seededRandom(12);
    /** Gives a page when others had some turns. */
    class LateStore extends MemoryOverlayStore {
      override async page(index: number): Promise<Uint8Array | undefined> {
        for (let turns = 3 * random(); turns > 0; turns--) await new Promise((resolve) => setImmediate(resolve));
        return super.page(index);
      }
    }
    const base = new MemoryDevice(new Uint8Array(24 * MIB).map((_, i) => (i >>> 9) * 31));
    const store = new LateStore();
    const first = await OverlayDevice.open(base, store);
    for (let i = 0; i < 15_000; i++) {
      const at = Math.floor(random() * 24 * 2048) * 512;
      await first.write(at, new Uint8Array(512 * (1 + (i % 3))).fill(i).subarray(0, 24 * MIB - at));
    }
    await first.flush();
    const [from, length] = [14 * MIB, 6 * MIB];
    const before = await first.bytes(from, length);
    // Opened again, it has no page at hand.
    const disk = await OverlayDevice.open(base, store);
    const into = new Uint8Array(length);
    const reading = disk.read(from, into);
    for (let at = MIB; at < 13 * MIB; at += MIB / 2) await disk.write(at, new Uint8Array(MIB / 2));
    await reading;
    expect(Buffer.compare(into, before)).toBe(0);
  });
});
