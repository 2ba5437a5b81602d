import { PatchedDevice, type BlockDevice } from '@/core/device';
import { seededRandom } from '@/core/practice';
import { describe, expect, it } from 'vitest';
import { driverOf } from '.';
import { readExt } from './ext/state';
import { fillRandomly, makeVolume, manifestOf, openVolume, type VolumeSpec } from './fixtures/volumes';
import { openWhole } from './ntfs/volume';

const MIB = 1024 * 1024;
const SPECS: readonly VolumeSpec[] = [
  { kind: 'fat12', size: 6 * MIB },
  { kind: 'fat16', size: 24 * MIB },
  { kind: 'fat32', size: 40 * MIB, clusterSize: 512 },
  { kind: 'exfat', size: 16 * MIB },
  { kind: 'ntfs', size: 16 * MIB },
  { kind: 'ext2', size: 20 * MIB },
  { kind: 'ext3', size: 40 * MIB },
  { kind: 'ext4', size: 40 * MIB },
];

async function filled(spec: VolumeSpec): Promise<{ device: BlockDevice; before: string }> {
  const device = await makeVolume(spec);
  await fillRandomly(spec.kind, device, 7);
  return { device, before: JSON.stringify(await manifestOf(spec.kind, device, true)) };
}

const mendsOf = (kind: string, device: BlockDevice) => driverOf(kind)!.mends(device);

/** Damages a volume, mends it, and says what was mended. */
async function mended(spec: VolumeSpec, damage: (device: BlockDevice) => Promise<void>): Promise<string[]> {
  const { device, before } = await filled(spec);
  await damage(device);
  const mends = await mendsOf(spec.kind, device);
  const sound = new PatchedDevice(device, mends);
  expect((await (await openVolume(spec.kind, sound)).check()).filter((f) => f.severity !== 'info')).toEqual([]);
  expect(JSON.stringify(await manifestOf(spec.kind, sound, true))).toBe(before);
  expect(await mendsOf(spec.kind, sound)).toEqual([]);
  return [...new Set(mends.map((m) => m.what))];
}

const spoil =
  (offset: number, length = 512, value = 0) =>
  (device: BlockDevice) =>
    device.write(offset, new Uint8Array(length).fill(value));

const spec = (kind: string): VolumeSpec => SPECS.find((s) => s.kind === kind)!;

it.each(SPECS)('nothing is mended on a sound volume: $kind', async (of) => {
  const { device } = await filled(of);
  expect(await mendsOf(of.kind, device)).toEqual([]);
});

describe('what has a second copy is mended from it', () => {
  it.each<[string, number, number, string]>([
    ['fat32', 0, 512, 'the boot sector'],
    ['fat32', 6 * 512, 512, 'the copy of the boot sector'],
    ['fat32', 512, 512, 'the sector with the free count'],
    ['exfat', 0, 12 * 512, 'the boot region'],
    ['exfat', 3 * 512 + 500, 12, 'the boot region'],
    ['exfat', 12 * 512, 12 * 512, 'the copy of the boot region'],
    ['ntfs', 0, 512, 'the boot sector'],
    ['ntfs', 16 * MIB - 512, 512, 'the copy of the boot sector'],
    ['ext2', 1024, 1024, 'the superblock'],
    ['ext3', 0, 2048, 'the superblock'],
    ['ext4', 1024, 1024, 'the superblock'],
  ])('%s from byte %i on, %i bytes', async (kind, offset, length, what) => {
    expect(await mended(spec(kind), spoil(offset, length))).toContain(what);
    expect(await mended(spec(kind), spoil(offset, length, 0xa5))).toContain(what);
  });

  it('a FAT table, whichever of the two is hit', async () => {
    for (const kind of ['fat12', 'fat16', 'fat32']) {
      const boot = await (await makeVolume(spec(kind))).bytes(0, 512);
      const view = new DataView(boot.buffer);
      const sectors = view.getUint16(22, true) || view.getUint32(36, true);
      const first = view.getUint16(14, true) * 512;
      expect(await mended(spec(kind), spoil(first + 600, 300))).toEqual(['allocation table 1']);
      expect(await mended(spec(kind), spoil(first + sectors * 512 + 600, 300, 0x5a))).toEqual(['allocation table 2']);
    }
  });

  it('records of the master file table and their mirror, each of them', async () => {
    const boot = new DataView((await (await makeVolume(spec('ntfs'))).bytes(0, 512)).buffer);
    const cluster = boot.getUint8(13) * 512;
    const [table, mirror] = [48, 56].map((at) => Number(boot.getBigUint64(at, true)) * cluster);
    for (const n of [0, 1, 2, 3]) {
      expect(await mended(spec('ntfs'), spoil(table! + n * 1024 + 100, 700))).toEqual([
        `record ${n} of the master file table`,
      ]);
      expect(await mended(spec('ntfs'), spoil(mirror! + n * 1024, 1024))).toEqual([`the mirror of record ${n}`]);
    }
  });

  it.each(['ext2', 'ext4'])('the group descriptors of %s', async (kind) => {
    const at = 2048;
    expect(await mended(spec(kind), spoil(at, 12, 0xee))).toContain('the group descriptors');
    expect(await mended(spec(kind), spoil(at + 12, 2, 0x11))).toEqual(['counts and bitmaps']);
  });
});

describe('what follows from others is mended', () => {
  it.each(['exfat', 'ntfs', 'ext2', 'ext4'])('the bitmap of %s that claims too much, and too little', async (kind) => {
    const { device } = await filled(spec(kind));
    const at = await bitmapAt(kind, device);
    expect(await mended(spec(kind), spoil(at, 1, 0xff))).toHaveLength(1);
    expect(await mended(spec(kind), spoil(at, 1, 0))).toHaveLength(1);
  });
});

/** A byte of the bitmap that has both in it. */
async function bitmapAt(kind: string, device: BlockDevice): Promise<number> {
  const from = await bitmapStart(kind, device);
  const bytes = await device.bytes(from, 512);
  return from + bytes.findIndex((b) => b !== 0 && b !== 0xff);
}

async function bitmapStart(kind: string, device: BlockDevice): Promise<number> {
  if (kind === 'exfat') return new DataView((await device.bytes(0, 512)).buffer).getUint32(88, true) * 512;
  if (kind === 'ntfs') {
    const { mft, geometry } = await openWhole(device);
    return mft.files.get(6)!.streams.find((s) => s.runs.length > 0)!.runs[0]!.lcn * geometry.clusterSize;
  }
  const { groups, g } = await readExt(device);
  return groups[0]!.blockBitmap * g.blockSize;
}

it.each(['fat32', 'exfat', 'ntfs', 'ext2', 'ext4'])('%s, one byte of its first structure at a time', async (kind) => {
  const random = seededRandom(11);
  const { device, before } = await filled(spec(kind));
  const at = kind.startsWith('ext') ? 1024 : 0;
  // Of the fields that tell where things are; what else stands there is compared nowhere.
  const fields = kind === 'fat32' ? 48 : kind === 'exfat' ? 120 : kind === 'ntfs' ? 72 : 0x60;
  for (let n = 0; n < 24; n++) {
    const offset = at + Math.floor(random() * fields);
    const was = await device.bytes(offset, 1);
    await device.write(offset, Uint8Array.of(was[0]! ^ (1 << Math.floor(random() * 8))));
    const mends = await mendsOf(kind, device);
    const sound = new PatchedDevice(device, mends);
    expect([offset, JSON.stringify(await manifestOf(kind, sound, true)) === before]).toEqual([offset, true]);
    await device.write(offset, was);
  }
});
