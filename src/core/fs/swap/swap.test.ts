import { SparseDevice, type BlockDevice } from '@/core/device';
import { describe, expect, it } from 'vitest';
import { driverOf, findKind } from '..';
import { change, makeVolume, openVolume } from '../fixtures/volumes';

const MIB = 1024 * 1024;
const make = (): Promise<BlockDevice> => makeVolume({ kind: 'swap', size: 8 * MIB });

/** An area as a machine of the other byte order and larger pages makes it. */
async function bigEndian(): Promise<BlockDevice> {
  const device = new SparseDevice(4 * MIB, 512);
  const page = new Uint8Array(65_536);
  const view = new DataView(page.buffer);
  [1, 63, 2].forEach((n, i) => view.setUint32(1024 + 4 * i, n));
  [9, 60].forEach((n, i) => view.setUint32(1536 + 4 * i, n));
  page.set(new TextEncoder().encode('SWAPSPACE2'), 65_526);
  await device.write(0, page);
  return device;
}

describe('a swap area', () => {
  it('is made, resized, labelled and given another identity, and stays what it is', async () => {
    const device = await make();
    expect(await driverOf('swap')!.probe(device)).toBe('swap');
    const first = await openVolume('swap', device);
    expect(first.info).toMatchObject({ label: 'TEST', size: 8 * MIB, used: 4096 });
    expect(first.info.serial).toMatch(/1234abcd$/);
    await change('swap', device, (volume, tx) => volume.shrink(3 * MIB + 100, tx));
    await change('swap', device, (volume, tx) => volume.relabel('rest', tx));
    const small = await openVolume('swap', device);
    expect(small.info).toMatchObject({ label: 'rest', size: 3 * MIB, serial: first.info.serial });
    await change('swap', device, (volume, tx) => volume.grow(8 * MIB, tx));
    await change('swap', device, (volume, tx) => volume.identify(7, tx));
    const last = await openVolume('swap', device);
    expect(last.info).toMatchObject({ label: 'rest', size: 8 * MIB });
    expect(last.info.serial).not.toBe(first.info.serial);
    expect(await last.check()).toEqual([]);
  });

  it('of either byte order and page size keeps both, and forgets bad pages that are no more', async () => {
    const device = await bigEndian();
    const { info } = await openVolume('swap', device);
    expect(info).toMatchObject({ size: 4 * MIB, clusterSize: 65_536 });
    await change('swap', device, (volume, tx) => volume.shrink(2 * MIB, tx));
    const view = new DataView((await device.bytes(1024, 1024)).buffer);
    expect([0, 4, 8, 512, 516].map((at) => view.getUint32(at))).toEqual([1, 31, 1, 9, 0]);
  });

  it('is left as it is while a system sleeps in it, until that is overridden', async () => {
    const device = await make();
    await device.write(4086, new TextEncoder().encode('S1SUSPEND\0'));
    const volume = await openVolume('swap', device);
    expect(volume.info.used).toBe(8 * MIB);
    expect(await volume.check()).toMatchObject([{ code: 'swap.sleeping', overridable: true }]);
    const limits = await volume.limits();
    expect(limits.floor.bytes).toBe(8 * MIB);
    await expect(change('swap', device, (v, tx) => v.shrink(2 * MIB, tx))).rejects.toMatchObject({
      code: 'fs.unsound',
    });
  });

  it('takes no files, and labels only that fit', async () => {
    const device = await make();
    await expect(change('swap', device, async (v, tx) => void (await v.writer(tx)))).rejects.toMatchObject({
      code: 'fs.ability',
    });
    expect(() => findKind('swap')!.normaliseLabel('x'.repeat(17))).toThrowError(/at most 16/);
    const broken = await make();
    await broken.write(1028, Uint8Array.of(255, 255, 255, 255));
    await expect(openVolume('swap', broken)).rejects.toMatchObject({ code: 'fs.damaged' });
  });
});
