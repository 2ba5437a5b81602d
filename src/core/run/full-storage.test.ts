/** Runs on disks with what nobody can read, and with a storage that is full. */
import { MemoryDevice, OverlayDevice } from '@/core/device';
import { MemoryOverlayStore } from '@/core/device/fixtures/memory-overlay-store';
import { CoreError, isCoreError } from '@/core/errors';
import { surveyDisk } from '@/core/inspect';
import type { TargetInput } from '@/core/job';
import { describe, expect, it } from 'vitest';
import { MemoryJournal, resumeRun, startRun } from '.';
import { buildStick, NOW, planFor, SPLIT } from './fixtures/sticks';

const clone = (disk: MemoryDevice): MemoryDevice => new MemoryDevice(disk.buffer.slice(), disk.sectorSize);

describe('a disk with a damaged and an unknown volume', () => {
  const layout: TargetInput = {
    volumes: [{ keep: 1, size: '12 MiB' }, { create: 'fat12', size: '4 MiB', label: 'N' }, { keep: 2 }, { keep: 3 }],
  };

  async function threeVolumes(): Promise<MemoryDevice> {
    const fill = [{ folder: 'x', count: 8, name: '{n}.bin', smallest: '10 KiB', largest: '90 KiB' }];
    const fat = { fileSystem: 'fat16', size: '20 MiB', fill };
    const disk = await buildStick({
      size: '64 MiB',
      volumes: [
        { ...fat, label: 'ONE' },
        { ...fat, label: 'TWO' },
        { ...fat, label: 'THREE' },
      ],
    });
    const [, two, three] = (await surveyDisk(disk)).volumes;
    // The second gets crossed chains, the third loses its boot sector.
    const second = await disk.bytes(two!.start, 512);
    const table = two!.start + (second[14]! | (second[15]! << 8)) * 512;
    for (const copy of [0, 1])
      disk.buffer.copyWithin(table + copy * (second[22]! | (second[23]! << 8)) * 512 + 10, table + 6, table + 8);
    disk.buffer.fill(0xe5, three!.start, three!.start + 512);
    return disk;
  }

  it('keeps them byte for byte, proven whole, while its neighbour is divided', async () => {
    const disk = await threeVolumes();
    const { plan, survey } = await planFor(disk, layout);
    expect(survey.volumes[1]!.findings.some((f) => f.severity === 'error')).toBe(true);
    expect(survey.volumes[2]!.info).toBeUndefined();
    const before = survey.volumes.slice(1).map((v) => disk.buffer.slice(v.start, v.start + v.length));
    const certificate = await startRun(plan, { disk, journal: new MemoryJournal(), now: NOW });
    expect(certificate.proven).toBe(true);
    expect(certificate.volumes.map((v) => v.files)).toEqual([8, 1, 1]);
    survey.volumes
      .slice(1)
      .forEach((v, i) => expect(Buffer.compare(disk.buffer.slice(v.start, v.start + v.length), before[i]!)).toBe(0));
  });

  it('refuses to resize either', async () => {
    const disk = await threeVolumes();
    const shrink = (number: number): TargetInput => ({
      volumes: [1, 2, 3].map((n) => ({ keep: n, ...(n === number ? { size: '15 MiB' } : {}) })),
    });
    await expect(planFor(disk, shrink(2))).rejects.toMatchObject({ code: 'fs.unsound' });
    await expect(planFor(disk, shrink(3))).rejects.toMatchObject({ code: 'fs.ability' });
  });
});

describe('a storage that is full', () => {
  it('stops the run clean, and what room is made for goes on to the same bytes', async () => {
    const start = await buildStick();
    const { plan } = await planFor(start, SPLIT);
    const undisturbed = clone(start);
    await startRun(plan, { disk: undisturbed, journal: new MemoryJournal(), now: NOW });
    for (let room = 0; room < 6; room++) {
      const store = new MemoryOverlayStore();
      const commit = store.commit.bind(store);
      let left = room;
      store.commit = async (change) => {
        if (left-- <= 0) throw new CoreError('storage.full', { wanted: 1 });
        await commit(change);
      };
      const journal = new MemoryJournal();
      const first = startRun(plan, { disk: await OverlayDevice.open(start, store), journal, now: NOW });
      await first.catch((error: unknown) => expect(isCoreError(error, 'storage.full')).toBe(true));
      journal.lose(0);
      left = Infinity;
      const disk = await OverlayDevice.open(start, store);
      expect((await resumeRun({ disk, journal, now: NOW })).proven).toBe(true);
      expect(Buffer.compare(await disk.bytes(0, disk.size), undisturbed.buffer), `room for ${room}`).toBe(0);
    }
  });
});
