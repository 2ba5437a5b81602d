import { MemoryDevice, WindowDevice } from '@/core/device';
import { ImageDevice, type ByteSource } from '@/core/image';
import { MemoryJournal, startRun } from '@/core/run';
import { buildStick, NOW, planFor, SPLIT } from '@/core/run/fixtures/sticks';
import { gzipSync } from 'fflate';
import { describe, expect, it } from 'vitest';
import { openImageDevice, Session } from '.';

/** A device that counts what is read of it. */
class Counting extends MemoryDevice {
  reads = 0;

  protected override async readAt(offset: number, into: Uint8Array): Promise<void> {
    this.reads += 1;
    await super.readAt(offset, into);
  }
}

const source = (bytes: Uint8Array, name: string): ByteSource => ({
  name,
  size: bytes.length,
  read: async (offset, into) => into.set(bytes.subarray(offset, offset + into.length)),
});

describe('a session', () => {
  it('has what is to be said of the file among its findings, also once the disk has changed', async () => {
    const disk = await buildStick();
    const remark = { severity: 'info', code: 'image.snapshots', message: 'The image holds a snapshot.' } as const;
    const session = await Session.open(disk, 'stick', false, [remark]);
    expect(session.survey.findings).toEqual([remark]);
    expect((await session.look()).findings).toEqual([remark]);
  });

  it('opens a volume once, for its survey and for whoever asks', async () => {
    const disk = new Counting((await buildStick()).buffer);
    const session = await Session.open(disk, 'stick');
    const { reads } = disk;
    const [one, two] = await Promise.all([session.volume(1), session.volume(1)]);
    expect(one.volume).toBe(two.volume);
    expect(disk.reads).toBe(reads);
    expect(one.volume.info).toEqual(session.survey.volumes[0]!.info);
  });

  it('asks no volume of before once it has looked again', async () => {
    const disk = await buildStick();
    const session = await Session.open(disk, 'stick');
    const before = await session.volume(1);
    const { plan } = await planFor(disk, SPLIT);
    await startRun(plan, { disk, journal: new MemoryJournal(), now: NOW });
    expect((await session.look()).volumes).toHaveLength(2);
    const after = await session.volume(1);
    expect(after.volume).not.toBe(before.volume);
    expect(after.volume.info.size).toBeLessThan(before.volume.info.size);
    expect((await session.volume(2)).volume.info.label).toBe('NEW');
  });

  it('says why a volume can’t be opened, and tries again when asked again', async () => {
    const { buffer } = await buildStick({
      volumes: [{ size: '8 MiB', fileSystem: 'unknown' }, { fileSystem: 'fat16' }],
    });
    const cut = new MemoryDevice(buffer.slice(0, 20 * 1024 * 1024));
    const session = await Session.open(cut, 'cut');
    await expect(session.volume(1)).rejects.toMatchObject({ code: 'fs.unknown' });
    await expect(session.volume(2)).rejects.toMatchObject({ code: 'fs.damaged' });
    await expect(session.volume(9)).rejects.toMatchObject({ code: 'fs.unknown' });
    await expect(session.volume(2)).rejects.toMatchObject({ code: 'fs.damaged' });
  });
});

describe('an image', () => {
  it('is opened with its sector size found, packed or not', async () => {
    const raw = (await buildStick({ sectorSize: 4096, table: 'gpt' })).buffer;
    const plain = await openImageDevice(source(raw, 'a.img'));
    const packed = await openImageDevice(source(gzipSync(raw, { level: 1 }), 'a.img.gz'));
    expect([plain.packed, packed.packed]).toEqual([false, true]);
    for (const { device } of [plain, packed]) {
      expect(device).toBeInstanceOf(ImageDevice);
      expect(device.sectorSize).toBe(4096);
      expect((await Session.open(device, 'a')).survey.volumes).toHaveLength(1);
    }
    const forced = await openImageDevice(source(raw, 'a.img'), { sectorSize: 512 });
    expect(forced.device.sectorSize).toBe(512);
    expect(await new WindowDevice(forced.device, 0, 512).bytes(510, 2)).toEqual(Uint8Array.of(0x55, 0xaa));
  });
});
