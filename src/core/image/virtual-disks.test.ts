import { isAll } from '@/core/bytes/fixtures/filled';
import { rounds } from '@/core/fixtures/rounds';
import { SparseDevice } from '@/core/device';
import { isCoreError } from '@/core/errors';
import { seededRandom } from '@/core/practice';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  cutIntoParts,
  containerOf,
  exportVhd,
  exportVhdx,
  exportZip,
  openContainer,
  partName,
  type ByteSource,
  type ContainerOptions,
} from '.';
import { collected, source } from './fixtures/sources';
import { sparseVmdk } from './fixtures/vmdk';

const MIB = 1024 * 1024;
const STAMP = { id: Uint8Array.from({ length: 16 }, (_, i) => i + 1), seconds: 1_795_000_000 };

/** A disk with stretches of content far apart, some across borders of blocks, one at its end. */
async function disk(size: number, sectorSize = 512): Promise<SparseDevice> {
  const device = new SparseDevice(size, sectorSize);
  const random = seededRandom(size);
  for (const at of [0, 2 * MIB - 100, 5 * MIB + 3, 20 * MIB - 7, size - 512].filter((offset) => offset + 512 <= size))
    await device.write(
      at,
      Uint8Array.from({ length: 512 }, () => Math.floor(random() * 256)),
    );
  return device;
}

async function whole(opened: ByteSource): Promise<Buffer> {
  const out = Buffer.alloc(opened.size);
  // In pieces that meet no border of a block.
  for (let at = 0; at < out.length; at += 999_983) await opened.read(at, out.subarray(at, at + 999_983));
  return out;
}

/** What is not said to be stored is zeros, and the rest is what is read. */
function holdsOnly(opened: ByteSource, bytes: Uint8Array): void {
  let at = 0;
  for (const { start, end } of opened.occupied!()) {
    expect(isAll(0, bytes.subarray(at, start))).toBe(true);
    expect(end).toBeLessThanOrEqual(bytes.length);
    at = end;
  }
  expect(isAll(0, bytes.subarray(at))).toBe(true);
}

const MAKERS = {
  vhd: (device: SparseDevice) => collected(exportVhd(device, STAMP)),
  vhdx: (device: SparseDevice) => collected(exportVhdx(device, STAMP)),
  vmdk: async (device: SparseDevice) => sparseVmdk(await device.bytes(0, device.size), 'stored'),
  'packed vmdk': async (device: SparseDevice) => sparseVmdk(await device.bytes(0, device.size), 'packed'),
} as const;
const KINDS = Object.keys(MAKERS) as (keyof typeof MAKERS)[];

describe.each(KINDS)('%s', (kind) => {
  it.each([3 * MIB, 8 * MIB + 512, 41 * MIB + 4096])('of %i bytes is the disk it was made from', async (size) => {
    const device = await disk(size);
    const bytes = await device.bytes(0, size);
    const file = await MAKERS[kind](device);
    expect(await containerOf(source(file))).toBe(kind.replace('packed ', ''));
    if (kind !== 'vmdk') expect(file.length).toBeLessThan(Math.min(size, 11 * MIB) + 5 * MIB);
    const opened = await openContainer(source(file));
    const read = await whole(opened);
    expect(Buffer.compare(read, bytes)).toBe(0);
    holdsOnly(opened, read);
  });

  it('whatever is changed in it, opens, is refused or reads as something, and never throws otherwise', async () => {
    const file = await MAKERS[kind](await disk(3 * MIB));
    const places = [fc.nat(2000), fc.nat(file.length), fc.nat(70_000), fc.integer({ min: 190_000, max: 200_000 })];
    const change = fc.tuple(fc.oneof(...places), fc.nat(255));
    await fc.assert(
      fc.asyncProperty(fc.array(change, { minLength: 1, maxLength: 6 }), async (changes) => {
        const image = file.slice();
        for (const [at, value] of changes) image[at % image.length] = value;
        try {
          const opened = await openContainer(source(image));
          await opened.read(0, new Uint8Array(Math.min(opened.size, 200_000)));
          for (const { start, end } of opened.occupied?.() ?? []) expect(end).toBeGreaterThan(start);
        } catch (error) {
          if (!isCoreError(error)) throw error;
        }
      }),
      { numRuns: rounds(60, 2000) },
    );
  });

  it('cut anywhere is refused, or reads as far as it goes', async () => {
    const file = await MAKERS[kind](await disk(3 * MIB));
    for (let n = 1; n < 24; n++) {
      const cut = source(file.slice(0, Math.floor((file.length * n) / 24)));
      try {
        await whole(await openContainer(cut));
      } catch (error) {
        expect(isCoreError(error), String(error)).toBe(true);
      }
    }
  });
});

const refused = (file: Uint8Array, words: RegExp): Promise<void> =>
  expect(openContainer(source(file))).rejects.toMatchObject({
    code: 'image.container',
    message: expect.stringMatching(words) as string,
  });

/** The sum that a VHD's structures carry, set anew after a change. */
function summed(bytes: Uint8Array, start: number, length: number, at: number): void {
  const part = bytes.subarray(start, start + length);
  part.fill(0, at, at + 4);
  const sum = part.reduce((s, b) => s + b, 0);
  new DataView(part.buffer, part.byteOffset).setUint32(at, ~sum >>> 0);
}

describe('a VHD', () => {
  it('of fixed size is the disk itself with a footer behind it', async () => {
    const device = await disk(3 * MIB);
    const dynamic = await MAKERS.vhd(device);
    const footer = dynamic.slice(-512);
    footer[63] = 2;
    summed(footer, 0, 512, 64);
    const bytes = await device.bytes(0, device.size);
    const opened = await openContainer(source(Buffer.concat([bytes, footer])));
    expect(opened.size).toBe(device.size);
    expect(Buffer.compare(await whole(opened), bytes)).toBe(0);
    // Where the footer is not whole, all of it is a raw image.
    footer[100] = 7;
    expect((await openContainer(source(Buffer.concat([bytes, footer])))).size).toBe(device.size + 512);
  });

  it('is opened by the copy of its footer, and reads sectors that were not written as zeros', async () => {
    const file = await MAKERS.vhd(await disk(3 * MIB));
    file.fill(0, file.length - 512);
    const first = await openContainer(source(file));
    expect((await whole(first)).subarray(0, 512).some((b) => b !== 0)).toBe(true);
    const view = new DataView(file.buffer, file.byteOffset);
    const block = view.getUint32(512 + 1024) * 512;
    file[block] = 0;
    expect(isAll(0, (await whole(await openContainer(source(file)))).subarray(0, 8 * 512))).toBe(true);
  });

  it('that builds on another is refused', async () => {
    const file = await MAKERS.vhd(await disk(3 * MIB));
    for (const start of [0, file.length - 512]) {
      file[start + 63] = 4;
      summed(file, start, 512, 64);
    }
    await refused(file, /builds on another/);
  });
});

describe('a VHDX', () => {
  it('says the size of its sectors', async () => {
    const opened = await openContainer(source(await MAKERS.vhdx(await disk(8 * MIB, 4096))));
    expect(opened.sectorSize).toBe(4096);
  });

  it('is opened by whichever header and region table is whole', async () => {
    const file = await MAKERS.vhdx(await disk(3 * MIB));
    const good = await whole(await openContainer(source(file)));
    for (const at of [64, 192]) file[at * 1024 + 8]! ^= 1;
    expect(Buffer.compare(await whole(await openContainer(source(file))), good)).toBe(0);
    file[128 * 1024 + 8]! ^= 1;
    await refused(file, /headers are damaged/);
  });

  it('whose log was not gone through is refused', async () => {
    const file = await MAKERS.vhdx(await disk(3 * MIB));
    const { crc32c } = await import('@/core/bytes');
    for (const at of [64 * 1024, 128 * 1024]) {
      const header = file.subarray(at, at + 4096);
      header[48] = 1;
      header.fill(0, 4, 8);
      new DataView(header.buffer, header.byteOffset).setUint32(4, ~crc32c(header) >>> 0, true);
    }
    await refused(file, /not closed/);
  });
});

describe('a VMDK', () => {
  const beside =
    (files: Record<string, Uint8Array>): ContainerOptions['beside'] =>
    async (name) =>
      files[name] && source(files[name], name);

  it('that builds on another is refused', async () => {
    const bytes = await (await disk(3 * MIB)).bytes(0, 3 * MIB);
    await refused(sparseVmdk(bytes, 'stored', '12345678'), /builds on another/);
  });

  it('described in text is joined from the files beside it', async () => {
    const bytes = await (await disk(6 * MIB)).bytes(0, 6 * MIB);
    const text = `# Disk DescriptorFile\nparentCID=ffffffff\nRW ${(2 * MIB) / 512} FLAT "d-f001.vmdk" 8\nRW ${(3 * MIB) / 512} SPARSE "d-s002.vmdk"\nRW ${MIB / 512} ZERO\n`;
    const files = {
      'd-f001.vmdk': Buffer.concat([new Uint8Array(4096), bytes.subarray(0, 2 * MIB)]),
      'd-s002.vmdk': sparseVmdk(bytes.subarray(2 * MIB, 5 * MIB), 'stored'),
    };
    const file = new TextEncoder().encode(text);
    const opened = await openContainer(source(file, 'd.vmdk'), { beside: beside(files) });
    const expected = Buffer.concat([bytes.subarray(0, 5 * MIB), new Uint8Array(MIB)]);
    const read = await whole(opened);
    expect(Buffer.compare(read, expected)).toBe(0);
    holdsOnly(opened, read);
    await refused(file, /another file, d-f001.vmdk/);
    await expect(openContainer(source(file), { beside: beside({}) })).rejects.toMatchObject({ code: 'file.missing' });
  });

  it('opens no file that stands elsewhere', async () => {
    for (const name of ['../secret', '/etc/shadow', 'a\\\\b', '..', '']) {
      const text = `# Disk DescriptorFile\nRW 2048 FLAT "${name}" 0\n`;
      const asked: string[] = [];
      const opening = openContainer(source(new TextEncoder().encode(text)), {
        beside: async (wanted) => (asked.push(wanted), source(new Uint8Array(MIB))),
      });
      await expect(opening).rejects.toMatchObject({ code: 'image.container' });
      expect(asked).toEqual([]);
    }
  });
});

describe('an image in parts', () => {
  it('is cut where sectors end, none of it twice and none left out, or not at all', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 4 << 20 }), fc.constantFrom(512, 4096), fc.nat(4 << 30), (n, s, length) => {
        const disk = { size: n * s, sectorSize: s };
        const most = Math.ceil(disk.size / Math.floor(length / s) / s);
        if (length < MIB || most > 999) {
          expect(() => cutIntoParts(disk, length)).toThrow('The image can’t be cut into such parts');
          return;
        }
        const parts = cutIntoParts(disk, length);
        expect(parts.map((p) => p.start)).toEqual([0, ...parts.slice(0, -1).map((p) => p.end)]);
        expect(parts.at(-1)!.end).toBe(disk.size);
        expect(parts.every((p) => p.start % s === 0 && p.end > p.start && p.end - p.start <= length)).toBe(true);
      }),
    );
    expect(() => cutIntoParts({ size: 1000 * MIB, sectorSize: 512 }, MIB)).toThrow('there would be 1000 of them');
  });

  it('is one disk, however many there are', async () => {
    const bytes = Buffer.from(await (await disk(5 * MIB + 512)).bytes(0, 5 * MIB + 512));
    const parts = new Map<string, Uint8Array>();
    for (let i = 0; i * MIB < bytes.length; i++)
      parts.set(partName('card.001', i + 1), bytes.subarray(i * MIB, (i + 1) * MIB));
    const beside = async (name: string) => parts.get(name) && source(parts.get(name)!, name);
    const opened = await openContainer(source(parts.get('card.001')!, 'folder/card.001'), { beside });
    expect(Buffer.compare(await whole(opened), bytes)).toBe(0);
    parts.set('card.003', bytes.subarray(0, 100));
    await expect(openContainer(source(parts.get('card.001')!, 'card.001'), { beside })).rejects.toThrow(
      /part 3 is shorter/,
    );
    expect((await openContainer(source(bytes, 'one.001'), { beside })).size).toBe(bytes.length);
  });
});

describe('a zip', () => {
  it('that is written is opened again', async () => {
    const device = await disk(8 * MIB + 512);
    const file = await collected(exportZip(device, 'card.img'));
    expect(file.length).toBeLessThan(MIB);
    const opened = await openContainer(source(file, 'card.zip'));
    expect(Buffer.compare(await whole(opened), await device.bytes(0, device.size))).toBe(0);
  });
});
