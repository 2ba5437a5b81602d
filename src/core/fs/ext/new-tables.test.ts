import { MemoryDevice } from '@/core/device';
import { applyNow } from '@/core/run';
import { describe, expect, it } from 'vitest';
import { driverOf } from '..';
import { change, openVolume } from '../fixtures/volumes';
import { inodeTableBlocks } from './bitmaps';
import { GROUP_FLAG, readGroups } from './groups';
import { beginTables } from './new-tables';
import { parseSuper, SUPER_AT, SUPER_BYTES } from './superblock';

const MIB = 1024 * 1024;

/** Bytes of inode tables that are not zeros past the inodes that a new volume has. */
async function leftIn(device: MemoryDevice): Promise<{ bytes: number; groups: number; zeroed: boolean }> {
  const g = parseSuper(await device.bytes(SUPER_AT, SUPER_BYTES), device.size);
  const groups = await readGroups(device, g);
  let bytes = 0;
  for (const [n, { inodeTable }] of groups.entries()) {
    const table = await device.bytes(inodeTable * g.blockSize, inodeTableBlocks(g) * g.blockSize);
    bytes += table.subarray(n === 0 ? 16 * g.inodeSize : 0).filter((b) => b !== 0).length;
  }
  const zeroed = groups.every(({ flags }) => (flags & GROUP_FLAG.tableZeroed) !== 0);
  return { bytes, groups: groups.length, zeroed };
}

describe('inode tables of new groups', () => {
  it('hold nothing of what was there before, of a new volume and of one that has grown', async () => {
    const device = new MemoryDevice(new Uint8Array(48 * MIB).fill(0xa5));
    const options = { kind: 'ext4', label: 'NEW', serial: 5, startLba: 0 };
    await applyNow(device, 0, [], (tx) => driverOf('ext4')!.make(device, options, tx));
    expect(await leftIn(device)).toMatchObject({ bytes: 0, zeroed: true });
    await change('ext4', device, (volume, tx) => volume.shrink(20 * MIB, tx));
    device.buffer.fill(0xa5, 20 * MIB);
    await change('ext4', device, (volume, tx) => volume.grow(48 * MIB, tx));
    const after = await leftIn(device);
    expect(after.groups).toBeGreaterThan(3);
    expect(after).toMatchObject({ bytes: 0, zeroed: true });
    expect(await (await openVolume('ext4', device)).check()).toEqual([]);
  });

  it('are left to the system where there is much of them', async () => {
    const g = { checksums: true, groupChecksums: false, blockSize: 4096, inodesPerGroup: 8192, inodeSize: 256 };
    const groups = Array.from({ length: 200 }, () => ({ inodeTable: 100, flags: 0 }));
    let cleared = 0;
    const tx = { clearFree: async (_: number, length: number) => void (cleared += length) };
    await beginTables(g as never, groups as never, tx);
    expect(cleared).toBe(0);
    expect(groups[0]!.flags).toBe(GROUP_FLAG.inodesUnused);
    await beginTables(g as never, groups.slice(0, 10) as never, tx);
    expect(cleared).toBe(10 * 8192 * 256);
  });
});
