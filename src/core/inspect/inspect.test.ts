import { MemoryDevice, SparseDevice } from '@/core/device';
import { makeVolume } from '@/core/fs/fixtures/volumes';
import { fingerprintImage, ImageDevice, openContainer, sameImage, type ByteSource } from '@/core/image';
import { buildStick } from '@/core/run/fixtures/sticks';
import { describe, expect, it } from 'vitest';
import { boundsOf, detectSectorSize, layoutOf, surveyDisk } from '.';

const MIB = 1024 * 1024;

function source(bytes: Uint8Array, name = 'x.img'): ByteSource {
  return {
    name,
    size: bytes.length,
    read: async (offset, into) => into.set(bytes.subarray(offset, offset + into.length)),
  };
}

describe('looking at a disk', () => {
  it('finds table, volume and what is unallocated', async () => {
    const survey = await surveyDisk(await buildStick());
    expect(survey).toMatchObject({ table: 'mbr', sectorSize: 512, findings: [] });
    expect(survey.volumes[0]).toMatchObject({
      number: 1,
      start: MIB,
      role: 'data',
      info: { label: 'STICK', kind: 'fat16' },
    });
    expect(boundsOf(survey).get(1)!.floor).toBeLessThan(20 * MIB);
    expect(layoutOf(survey).volumes[0]).toMatchObject({ id: 'kept-1', guarded: false });
  });

  it('takes a bare file system as one volume and leaves the rest unallocated', async () => {
    const bare = await makeVolume({ kind: 'fat16', size: 24 * MIB });
    const disk = new MemoryDevice(new Uint8Array(30 * MIB));
    disk.buffer.set(await bare.bytes(0, 24 * MIB));
    const survey = await surveyDisk(disk);
    expect(survey).toMatchObject({
      table: 'none',
      volumes: [{ length: 24 * MIB }],
      unallocated: [{ start: 24 * MIB, end: 30 * MIB }],
    });
  });

  it('finds 4096-byte sectors, with and without a table', async () => {
    const wide = await buildStick({
      sectorSize: 4096,
      size: '700 MiB',
      volumes: [{ fileSystem: 'fat32', label: 'WIDE' }],
    });
    expect(await detectSectorSize(new MemoryDevice(wide.buffer))).toBe(4096);
    expect((await surveyDisk(wide)).volumes[0]!.info).toMatchObject({ label: 'WIDE', kind: 'fat32' });
    const bare = await makeVolume({ kind: 'fat12', size: 12 * MIB, sectorSize: 4096 });
    expect(await detectSectorSize(new MemoryDevice(await bare.bytes(0, 12 * MIB)))).toBe(4096);
    expect(await detectSectorSize(await buildStick())).toBe(512);
  });

  it('says plainly what is no disk', async () => {
    const noise = new MemoryDevice(new Uint8Array(64 * 1024).map((_, i) => (i * 7 + 3) & 0xff));
    await expect(surveyDisk(noise, 'photo.jpg')).rejects.toThrow('photo.jpg is not a disk image');
    expect(await surveyDisk(new SparseDevice(1e9 - (1e9 % 512)))).toMatchObject({ table: 'none', volumes: [] });
  });

  it('shows a volume that cannot be opened, and keeps it', async () => {
    const disk = await buildStick();
    disk.buffer[MIB + 22] = 1;
    const [volume] = (await surveyDisk(disk)).volumes;
    expect(volume).toMatchObject({ info: undefined, role: 'foreign' });
  });

  it('shows an image cut short as a table past its end', async () => {
    const disk = await buildStick();
    const cut = new MemoryDevice(disk.buffer.slice(0, 20 * MIB));
    const survey = await surveyDisk(cut);
    expect(survey.findings.map((f) => f.code)).toEqual(['table.past-end']);
    expect(survey.volumes[0]!.info).toBeUndefined();
  });
});

describe('an image file', () => {
  it('is refused when it is empty', async () => {
    await expect(openContainer(source(new Uint8Array(0)))).rejects.toMatchObject({ code: 'image.empty' });
  });

  it('is never written', async () => {
    const device = new ImageDevice(source(new Uint8Array(4096)), 512);
    await expect(device.write(0, Uint8Array.of(1))).rejects.toMatchObject({ code: 'device.write-failed' });
  });

  it('is recognised by size, date and both ends', async () => {
    const bytes = new Uint8Array(3 * MIB);
    const a = await fingerprintImage(source(bytes), 5);
    expect(sameImage(a, await fingerprintImage(source(bytes, 'renamed.img'), 5))).toBe(true);
    expect(sameImage(a, await fingerprintImage(source(bytes), 6))).toBe(false);
    bytes[bytes.length - 1] = 1;
    expect(sameImage(a, await fingerprintImage(source(bytes), 5))).toBe(false);
  });
});
