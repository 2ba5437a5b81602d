/** What was saved is read back: the same disk, and not one byte more or less. */
import { MemoryDevice, SparseDevice, type BlockDevice } from '@/core/device';
import { describe, expect, it } from 'vitest';
import {
  assertSavedAs,
  assertUnpacksTo,
  exportGzip,
  exportZip,
  gunzip,
  unzip,
  type Unpacker,
  exportQcow2,
  exportVhd,
  exportVhdx,
  ImageDevice,
  openContainer,
} from '.';

const MIB = 1024 * 1024;

async function disk(): Promise<SparseDevice> {
  const device = new SparseDevice(40 * MIB, 512);
  for (const [at, length] of [
    [0, 512],
    [3 * MIB, 700_000],
    [39 * MIB, MIB],
  ] as const)
    await device.write(
      at,
      Uint8Array.from({ length }, (_, i) => 1 + (i % 255)),
    );
  return device;
}

async function whole(chunks: AsyncIterable<Uint8Array>): Promise<Uint8Array> {
  const parts: Uint8Array[] = [];
  for await (const chunk of chunks) parts.push(chunk.slice());
  return Buffer.concat(parts);
}

const stamp = { id: new Uint8Array(16).fill(7), seconds: 1.8e9 };
const FORMS: Readonly<Record<string, (device: BlockDevice) => AsyncGenerator<Uint8Array>>> = {
  qcow2: exportQcow2,
  vhd: (device) => exportVhd(device, stamp),
  vhdx: (device) => exportVhdx(device, stamp),
};

const PACKED: Readonly<
  Record<string, { pack: (device: BlockDevice) => AsyncGenerator<Uint8Array>; unpacker: Unpacker }>
> = {
  gz: { pack: exportGzip, unpacker: gunzip },
  zip: { pack: (device) => exportZip(device, 'x.img'), unpacker: unzip },
};

const opened = async (bytes: Uint8Array, name: string): Promise<ImageDevice> => {
  const read = async (offset: number, into: Uint8Array): Promise<void> =>
    into.set(bytes.subarray(offset, offset + into.length));
  return new ImageDevice(await openContainer({ name, size: bytes.length, read }), 512);
};

describe('an image that is read back', () => {
  it.each(Object.keys(FORMS))('is the same as %s, and is told to be another where one byte is', async (form) => {
    const device = await disk();
    const bytes = await whole(FORMS[form]!(device));
    const told: number[] = [];
    await assertSavedAs(device, await opened(bytes, `x.${form}`), 'x', (done) => told.push(done));
    expect(told.at(-1)).toBeGreaterThanOrEqual(700_000 + MIB);
    // The stored bytes run from 1 on, so that the content is found wherever the form puts it.
    const at = bytes.findIndex((b, i) => b === 200 && bytes[i + 1] === 201 && bytes[i + 2] === 202 && i > MIB);
    bytes[at] = 3;
    const spoilt = assertSavedAs(device, await opened(bytes, `x.${form}`), 'x');
    await expect(spoilt).rejects.toMatchObject({ code: 'image.not-as-saved' });
  });

  it('may hold nothing where the disk holds nothing, and not be shorter', async () => {
    const device = await disk();
    const copy = new MemoryDevice(await device.bytes(0, device.size));
    await assertSavedAs(device, copy, 'x');
    copy.buffer[20 * MIB] = 1;
    await expect(assertSavedAs(device, copy, 'x')).rejects.toMatchObject({ code: 'image.not-as-saved' });
    const short = new MemoryDevice(copy.buffer.slice(0, 39 * MIB));
    await expect(assertSavedAs(device, short, 'x')).rejects.toMatchObject({
      facts: { name: 'x', offset: 39 * MIB },
    });
  });

  it.each(Object.keys(PACKED))('is what %s unpacks to, and told to be another where anything differs', async (form) => {
    const device = await disk();
    // Of what does not repeat every byte that is packed counts.
    let state = 1;
    const noise = Uint8Array.from({ length: 300_000 }, () => (state = Math.imul(state, 1_103_515_245) + 12_345) >>> 24);
    await device.write(10 * MIB, noise);
    const { pack, unpacker } = PACKED[form]!;
    const bytes = await whole(pack(device));
    const sourceOf = (packed: Uint8Array) => ({
      name: `x.${form}`,
      size: packed.length,
      read: async (offset: number, into: Uint8Array) => into.set(packed.subarray(offset, offset + into.length)),
    });
    await assertUnpacksTo(device, sourceOf(bytes), unpacker);
    const refused = { code: 'image.not-as-saved' };
    for (const share of [0.3, 0.5, 0.7]) {
      const spoilt = bytes.slice();
      spoilt[Math.floor(bytes.length * share)]! ^= 0x40;
      await expect(assertUnpacksTo(device, sourceOf(spoilt), unpacker)).rejects.toMatchObject(refused);
    }
    await expect(assertUnpacksTo(device, sourceOf(bytes.slice(0, -9)), unpacker)).rejects.toMatchObject(refused);
    const other = await disk();
    await other.write(10 * MIB, noise);
    await other.write(20 * MIB, new Uint8Array(512).fill(9));
    await expect(assertUnpacksTo(other, sourceOf(bytes), unpacker)).rejects.toMatchObject(refused);
    for (const size of [39 * MIB, 41 * MIB]) {
      const sized = new SparseDevice(size, 512);
      for (const { start, end } of device.occupied(0, Math.min(size, device.size)))
        await sized.write(start, await device.bytes(start, Math.min(end, size) - start));
      await expect(assertUnpacksTo(sized, sourceOf(bytes), unpacker)).rejects.toMatchObject(refused);
    }
  });
});
