import { isAll } from '@/core/bytes/fixtures/filled';
import { rounds } from '@/core/fixtures/rounds';
import { SparseDevice } from '@/core/device';
import { isCoreError } from '@/core/errors';
import { mostBytesFor } from '@/core/inspect';
import { seededRandom } from '@/core/practice';
import { buildStick } from '@/core/run/fixtures/sticks';
import fc from 'fast-check';
import { gzipSync, zipSync } from 'fflate';
import { execFileSync } from 'node:child_process';
import { describe, expect, it } from 'vitest';
import { collected, source } from './fixtures/sources';
import { containerOf, exportGzip, exportQcow2, ImageDevice, openContainer, type ByteSource } from '.';

const MIB = 1024 * 1024;

/** A disk with stretches of content far apart, one of which crosses a cluster and one the end. */
async function disk(size = 40 * MIB + 512): Promise<SparseDevice> {
  const device = new SparseDevice(size);
  const random = seededRandom(5);
  for (const at of [0, 65_530, 3 * MIB, 20 * MIB - 100, size - 512].filter((offset) => offset + 512 <= size))
    await device.write(
      at,
      Uint8Array.from({ length: 512 }, () => Math.floor(random() * 256)),
    );
  return device;
}

async function sameAs(opened: ByteSource, device: SparseDevice): Promise<void> {
  expect(opened.size).toBe(device.size);
  for (let at = 0; at < device.size; at += MIB) {
    const length = Math.min(MIB, device.size - at);
    const bytes = new Uint8Array(length);
    await opened.read(at, bytes);
    expect(Buffer.compare(bytes, await device.bytes(at, length))).toBe(0);
  }
}

describe('a container', () => {
  it('of each kind is known by its first bytes', async () => {
    const raw = new Uint8Array(1024);
    expect(await containerOf(source(raw))).toBeUndefined();
    expect(await containerOf(source(gzipSync(raw)))).toBe('gzip');
    expect(await containerOf(source(zipSync({ 'a.img': raw })))).toBe('zip');
  });

  it('gz: packed and unpacked it is the same disk', async () => {
    const device = await disk();
    const packed = await collected(exportGzip(device));
    expect(packed.length).toBeLessThan(200_000);
    await sameAs(await openContainer(source(packed)), device);
  });

  it('gz with several members, as tools that work in parallel write, is one disk', async () => {
    const device = await disk(3 * MIB);
    const bytes = await device.bytes(0, device.size);
    const packed = Buffer.concat([gzipSync(bytes.subarray(0, MIB)), gzipSync(bytes.subarray(MIB))]);
    await sameAs(await openContainer(source(packed)), device);
  });

  it('zip: the first file in it is the disk', async () => {
    const device = await disk(5 * MIB);
    const packed = zipSync({ 'folder/': new Uint8Array(), 'folder/card.img': await device.bytes(0, device.size) });
    await sameAs(await openContainer(source(packed)), device);
  });

  it('xz: unpacked it is the disk', async () => {
    const device = await disk(5 * MIB);
    const packed = execFileSync('xz', ['-c', '-1'], { input: await device.bytes(0, device.size), maxBuffer: 64 * MIB });
    await sameAs(await openContainer(source(packed)), device);
  });

  it('qcow2: out and in again it is the same disk, and empty space takes no room', async () => {
    const device = await disk();
    const image = await collected(exportQcow2(device));
    expect(image.length).toBeLessThan(12 * 65_536);
    const opened = await openContainer(source(image));
    await sameAs(opened, device);
    // Once more, from what was opened: the same bytes.
    const again = new ImageDevice(opened, 512);
    expect(Buffer.compare(await collected(exportQcow2(again)), image)).toBe(0);
  });

  it('qcow2 with compressed clusters and ones that read as zeros is read', async () => {
    const device = await disk(MIB);
    const image = Buffer.from(await collected(exportQcow2(device)));
    const view = new DataView(image.buffer, image.byteOffset, image.length);
    const l2 = Number(view.getBigUint64(65_536) & 0x00fffffffffffe00n);
    const { deflateSync } = await import('fflate');
    const cluster = await device.bytes(0, 65_536);
    const packed = deflateSync(cluster);
    const at = image.length;
    const sectors = BigInt(Math.ceil(packed.length / 512) - 1);
    const longer = Buffer.concat([image, packed, Buffer.alloc(1024)]);
    new DataView(longer.buffer, longer.byteOffset).setBigUint64(l2, (1n << 62n) | (sectors << 54n) | BigInt(at));
    await sameAs(await openContainer(source(longer)), device);
    // A cluster marked as zeros reads so, whatever it holds.
    new DataView(longer.buffer, longer.byteOffset).setBigUint64(l2, 65_536n | 1n);
    const zeros = new Uint8Array(512);
    await (await openContainer(source(longer))).read(0, zeros);
    expect(isAll(0, zeros)).toBe(true);
  });

  it('qcow2: snapshots beside the disk are told, by their names as far as they can be read', async () => {
    const device = await disk(MIB);
    const image = await collected(exportQcow2(device));
    expect((await openContainer(source(image))).remarks).toEqual([]);
    const entry = (name: string): Buffer => {
      const text = Buffer.from(name);
      const out = Buffer.alloc(Math.ceil((40 + 16 + 1 + text.length) / 8) * 8);
      out.writeUInt16BE(1, 12);
      out.writeUInt16BE(text.length, 14);
      out.writeUInt32BE(16, 36);
      out.write('1', 56);
      text.copy(out, 57);
      return out;
    };
    const at = Math.ceil(image.length / 8) * 8;
    const padded = Buffer.concat([image, Buffer.alloc(at - image.length)]);
    const table = [entry('before the move'), entry('Übersicht')];
    const told = async (count: number, entries: readonly Buffer[]): Promise<string | undefined> => {
      const file = Buffer.concat([padded, ...entries]);
      file.writeUInt32BE(count, 60);
      file.writeBigUInt64BE(BigInt(at), 64);
      const opened = await openContainer(source(file));
      await sameAs(opened, device);
      return opened.remarks?.[0]?.message;
    };
    expect(await told(1, table)).toMatch(/holds a snapshot beside the disk: before the move\. /);
    expect(await told(2, table)).toMatch(/2 snapshots beside the disk: before the move, Übersicht\. /);
    expect(await told(4_000_000_000, table)).toMatch(/snapshots beside the disk: before the move, Übersicht, …\. /);
    expect(await told(3, [])).toMatch(/holds 3 snapshots beside the disk\. /);
  });

  it.each<[string, (view: DataView) => void, RegExp]>([
    ['a backing file', (v) => v.setBigUint64(8, 512n), /builds on another/],
    ['encryption', (v) => v.setUint32(32, 1), /encrypted/],
    ['an unknown feature', (v) => v.setBigUint64(72, 16n), /feature/],
    ['another version', (v) => v.setUint32(4, 9), /version 9/],
    ['tables that are not there', (v) => v.setBigUint64(40, 1n << 40n), /tables/],
  ])('qcow2 with %s is refused', async (_name, change, words) => {
    const image = await collected(exportQcow2(await disk(MIB)));
    change(new DataView(image.buffer, image.byteOffset));
    await expect(openContainer(source(image))).rejects.toThrow(words);
  });

  it.each<[string, (bytes: Uint8Array) => Uint8Array | Promise<Uint8Array>]>([
    ['gz', (bytes) => gzipSync(bytes)],
    ['gz of two members', (bytes) => Buffer.concat([gzipSync(bytes.subarray(0, MIB)), gzipSync(bytes.subarray(MIB))])],
    ['zip', (bytes) => zipSync({ 'card.img': bytes })],
    ['xz', (bytes) => execFileSync('xz', ['-c', '-1'], { input: bytes, maxBuffer: 64 * MIB })],
  ])('%s: a flipped bit or a cut end is never taken for the disk', async (_name, pack) => {
    const bytes = await (await disk(MIB * 2)).bytes(0, MIB * 2);
    const packed = await pack(bytes);
    const random = seededRandom(3);
    let refused = 0;
    for (let n = 0; n < 60; n++) {
      const damaged = n % 3 === 0 ? packed.slice(0, 20 + Math.floor(random() * (packed.length - 21))) : packed.slice();
      const at = Math.floor(random() * damaged.length);
      if (n % 3 !== 0) damaged[at] = damaged[at]! ^ (1 << Math.floor(random() * 8));
      try {
        const opened = await openContainer(source(damaged));
        const read = new Uint8Array(opened.size);
        await opened.read(0, read);
        // Some bits say nothing: a date, a file's name, the first bytes of a file that is raw then.
        if (opened.size === bytes.length) expect(Buffer.compare(read, bytes), `flip ${n} at ${at}`).toBe(0);
        else expect(await containerOf(source(damaged)), `flip ${n} at ${at}`).toBeUndefined();
      } catch (error) {
        expect(isCoreError(error), String(error)).toBe(true);
        refused += 1;
      }
    }
    expect(refused).toBeGreaterThan(30);
  });

  describe('a zip of several files', () => {
    const readme = new TextEncoder().encode('Write this to a card. '.repeat(100));
    const card = async (seed: number): Promise<Uint8Array> => {
      const bytes = await (await buildStick({ id: `card-${seed}`, size: '12 MiB' })).bytes(0, 12 * MIB);
      return bytes;
    };
    const open = (bytes: Uint8Array, inside?: string) =>
      openContainer(source(bytes, 'two.zip'), { inside, mostBytes: mostBytesFor });

    it('has its disk found behind whatever else is in it', async () => {
      const image = await card(1);
      const opened = await open(zipSync({ 'README.txt': readme, 'docs/': new Uint8Array(), 'x/card.img': image }));
      const read = new Uint8Array(opened.size);
      await opened.read(0, read);
      expect(Buffer.compare(read, image)).toBe(0);
    });

    it('with two disks offers them, and takes the one that is named', async () => {
      const [one, two] = [await card(1), await card(2)];
      const packed = zipSync({ 'one.img': one, 'README.txt': readme, 'two.img': two });
      await expect(open(packed)).rejects.toMatchObject({
        code: 'image.several',
        facts: { names: ['one.img', 'two.img'] },
      });
      const read = new Uint8Array(two.length);
      await (await open(packed, 'two.img')).read(0, read);
      expect(Buffer.compare(read, two)).toBe(0);
      await expect(open(packed, 'three.img')).rejects.toThrow(/no three.img in it/);
    });

    it('says that it is encrypted, or that no disk is in it', async () => {
      const packed = zipSync({ 'card.img': await card(1) });
      for (const signature of [0x04034b50, 0x02014b50]) {
        const view = new DataView(packed.buffer, packed.byteOffset);
        for (let at = 0; at + 10 < packed.length; at++)
          if (view.getUint32(at, true) === signature) packed[at + (signature === 0x04034b50 ? 6 : 8)]! |= 1;
      }
      await expect(open(packed)).rejects.toThrow(/card.img in it is encrypted/);
      await expect(open(zipSync({ 'README.txt': readme }))).rejects.toThrow(/no file in it is a disk/);
    });
  });

  it.each<[string, (at: number) => number]>([
    ['zeros', () => 0],
    ['anything', (at) => (at * 131) & 0xff],
  ])('a bomb of %s is stopped long before it has filled anything', async (_name, byte) => {
    const block = Uint8Array.from({ length: MIB }, (_, i) => byte(i));
    const member = gzipSync(block, { level: 9 });
    // 4 GiB, made as it is read, with a limit that is as much lower as a bomb of 64 GiB would be larger.
    const count = 4 * 1024;
    const mostBytes = async (head: Uint8Array) => {
      const most = await mostBytesFor(head);
      return most === undefined ? undefined : most / 16;
    };
    let read = 0;
    const bomb: ByteSource = {
      name: 'bomb.gz',
      size: member.length * count,
      read: async (offset, into) => {
        for (let i = 0; i < into.length; i++) into[i] = member[(offset + i) % member.length]!;
        read = Math.max(read, offset + into.length);
      },
    };
    const opening = openContainer(bomb, { mostBytes });
    await expect(opening).rejects.toMatchObject({
      code: expect.stringMatching(/^image\.(container|not-a-disk)$/) as string,
    });
    expect(read / bomb.size).toBeLessThan(0.07);
  });

  it('can be called off while it is unpacked, and tells how far it is', async () => {
    const packed = gzipSync(await (await disk(30 * MIB)).bytes(0, 30 * MIB), { level: 0 });
    const abort = new AbortController();
    const told: number[] = [];
    const progress = (done: number, total: number): void => {
      told.push(done / total);
      if (told.length === 5) abort.abort(new Error('enough'));
    };
    await expect(openContainer(source(packed), { progress, signal: abort.signal })).rejects.toThrow('enough');
    expect(told).toHaveLength(5);
    expect(told.every((share, i) => share > (told[i - 1] ?? 0) && share < 0.2)).toBe(true);
  });

  it('whatever is changed in it, opens, is refused or reads as something, and never throws otherwise', async () => {
    const device = await disk(MIB);
    const images = [
      await collected(exportQcow2(device)),
      await collected(exportGzip(device)),
      zipSync({ a: await device.bytes(0, MIB) }),
    ];
    const change = fc.tuple(fc.nat(400_000), fc.nat(255));
    await fc.assert(
      fc.asyncProperty(fc.nat(2), fc.array(change, { minLength: 1, maxLength: 6 }), async (which, changes) => {
        const image = images[which]!.slice();
        for (const [at, value] of changes) image[at % (which === 0 ? image.length : 2000)] = value;
        try {
          const opened = await openContainer(source(image));
          await opened.read(0, new Uint8Array(Math.min(opened.size, 200_000)));
        } catch (error) {
          if (!isCoreError(error)) throw error;
        }
      }),
      { numRuns: rounds(150, 1500) },
    );
  });
});
