import { SparseDevice, type BlockDevice } from '@/core/device';
import { rounds } from '@/core/fixtures/rounds';
import { applyNow } from '@/core/run';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { driverOf, findKind, type Chosen } from '..';
import { change, fillRandomly, manifestOf, openVolume } from '../fixtures/volumes';
import { COMPAT, has, parseSuper, RO_COMPAT, SUPER_AT, SUPER_BYTES } from './superblock';

const MIB = 1024 * 1024;
const UUID = '0f1e2d3c-4b5a-4978-8796-a5b4c3d2e1f0';

async function made(kind: string, chosen: Chosen, size = 60 * MIB, clusterSize?: number): Promise<BlockDevice> {
  const device = new SparseDevice(size, 512);
  const options = { kind, label: 'CHOSEN', serial: 7, startLba: 0, chosen, ...(clusterSize ? { clusterSize } : {}) };
  await applyNow(device, 0, [], (tx) => driverOf(kind)!.make(device, options, tx));
  return device;
}

const geometryOf = async (device: BlockDevice) => parseSuper(await device.bytes(SUPER_AT, SUPER_BYTES), device.size);

describe('what is chosen for a new ext volume', () => {
  it('is in its superblock', async () => {
    const g = await geometryOf(await made('ext4', { inodeRatio: 4096, reserved: 1, uuid: UUID }));
    expect(g.super.inodeCount).toBeGreaterThanOrEqual((60 * MIB) / 4096);
    expect(g.reservedBlocks).toBe(Math.floor(g.blockCount * 0.01));
    expect(Buffer.from(g.super.uuid).toString('hex')).toBe(UUID.replaceAll('-', ''));
  });

  it('gives at least as many inodes as a plan counts on', async () => {
    const sizes = fc.integer({ min: 4 * MIB, max: 400 * MIB });
    const ratios = fc.constantFrom(undefined, 1024, 2048, 4096, 16_384, 65_536, MIB);
    const kinds = fc.constantFrom('ext2', 'ext3', 'ext4');
    await fc.assert(
      fc.asyncProperty(kinds, sizes, ratios, fc.boolean(), fc.nat(2), async (kind, size, inodeRatio, old, n) => {
        const { clusterSizes, holds } = findKind(kind)!;
        const clusterSize = clusterSizes(size, 512).at(n)!;
        fc.pre(clusterSize !== undefined);
        const chosen = { old, ...(inodeRatio ? { inodeRatio } : {}) };
        const { info } = await openVolume(kind, await made(kind, chosen, size, clusterSize));
        expect(info.entries!.free).toBeGreaterThanOrEqual(holds.entries!(size, clusterSize, chosen));
      }),
      { numRuns: rounds(60, 1000) },
    );
  });

  it.each(['ext2', 'ext3', 'ext4'])('for old systems: %s is sound, takes files, and is resized', async (kind) => {
    const device = await made(kind, { old: true });
    const g = await geometryOf(device);
    expect([g.checksums, has(g.super.compat, COMPAT.resizeInode), has(g.super.roCompat, RO_COMPAT.hugeFile)]).toEqual([
      false,
      false,
      false,
    ]);
    expect(g.inodeSize).toBe(kind === 'ext4' ? 256 : 128);
    expect((await openVolume(kind, device)).info.kind).toBe(kind);
    await fillRandomly(kind, device, 4, 0.3);
    const files = await manifestOf(kind, device);
    expect(await (await openVolume(kind, device)).check()).toEqual([]);
    for (const size of [30 * MIB, 60 * MIB]) {
      await change(kind, device, (volume, tx) => (size < 60 * MIB ? volume.shrink(size, tx) : volume.grow(size, tx)));
      expect(await (await openVolume(kind, device)).check()).toEqual([]);
      expect(await manifestOf(kind, device)).toEqual(files);
    }
  });

  it('is refused where it can’t be', async () => {
    await expect(made('ext4', { inodeRatio: 1 })).rejects.toThrow(/Bytes for each inode/);
    await expect(made('ext4', { colour: 'green' })).rejects.toThrow(/no choice called colour/);
    await expect(made('swap', { uuid: 'mine' }, 8 * MIB)).rejects.toThrow(/UUID/);
    expect(findKind('ntfs')!.choices).toBeUndefined();
    expect((await openVolume('swap', await made('swap', { uuid: UUID }, 8 * MIB))).info.serial).toBe(UUID);
  });
});
