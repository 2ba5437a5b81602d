import { MemoryDevice } from '@/core/device';
import { describe, expect, it } from 'vitest';
import { driverOf, probeFileSystem } from '.';
import { recogniseForeign } from './foreign';

const MIB = 1024 * 1024;
const text = (words: string): number[] => Array.from(words, (c) => c.charCodeAt(0));

describe('what no driver opens', () => {
  it.each([
    ['luks', 0, [...text('LUKS'), 0xba, 0xbe, 0, 2]],
    ['fve', 3, text('-FVE-FS-')],
    ['lvm', 512, text('LABELONE')],
    ['raid', 4096, [0xfc, 0x4e, 0x2b, 0xa9]],
    ['xfs', 0, text('XFSB')],
    ['btrfs', 0x10040, text('_BHRfS_M')],
    ['f2fs', 1024, [0x10, 0x20, 0xf5, 0xf2]],
    ['hfsplus', 1024, text('H+')],
    ['apfs', 32, text('NXSB')],
    ['iso9660', 32_769, text('CD001')],
  ])('is named for what it is: %s', async (kind, at, bytes) => {
    const device = new MemoryDevice(new Uint8Array(MIB));
    await device.write(at, Uint8Array.from(bytes));
    expect(await probeFileSystem(device)).toBeUndefined();
    expect(await recogniseForeign(device)).toMatchObject({ kind });
    expect(driverOf(kind)).toBeUndefined();
  });

  it('is nothing where nothing is', async () => {
    expect(await recogniseForeign(new MemoryDevice(new Uint8Array(512)))).toBeUndefined();
    expect(await recogniseForeign(new MemoryDevice(new Uint8Array(MIB).fill(0x55)))).toBeUndefined();
  });
});
