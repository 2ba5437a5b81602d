/** Volumes copied to unallocated space: of the same disk and of another one, smaller and larger on the way. */
import { MediumDevice, MemoryDevice, OverlayDevice, WindowDevice } from '@/core/device';
import { probeFileSystem, type Volume } from '@/core/fs';
import { copySourcesOf, layoutOf, surveyDisk, type Survey } from '@/core/inspect';
import { boundsOf } from '@/core/inspect';
import { copyVolume, gapsOf, type CopyWish, type Layout } from '@/core/layout';
import { HERE } from '@/core/place';
import { derivePlan, type Plan } from '@/core/plan';
import { seededRandom } from '@/core/practice';
import { takeManifest } from '@/core/proof';
import { quickHasher } from '@/core/proof/fixtures/quick-hasher';
import { describe, expect, it } from 'vitest';
import { MemoryJournal, resumeRun, startRun } from '.';
import { surviveCuts } from './fixtures/cuts';
import { buildStick, NOW } from './fixtures/sticks';

const MIB = 1024 * 1024;
const OLD = 'old';

const volumeOf = (label: string, size: string, fileSystem: string): object => ({
  size,
  fileSystem,
  label,
  fill: [{ folder: 'f', count: 6, name: `${label} {n}.bin`, smallest: '9 KiB', largest: '190 KiB', fragments: 2 }],
});

const stick = (size: string, volumes: readonly object[], table: 'mbr' | 'gpt' = 'gpt'): Promise<MemoryDevice> =>
  buildStick({ table, size, volumes: volumes as never });

/** The layout with a copy in the first gap. */
function withCopy(survey: Survey, source: Survey, disk: string, number = 1, wish: CopyWish = {}): Layout {
  const now = layoutOf(survey);
  const sources = copySourcesOf(source, disk, disk === HERE ? 'this disk' : 'Old stick');
  const edited = copyVolume(now, boundsOf(survey), gapsOf(now)[0]!, sources[number - 1]!, wish);
  if (!edited.ok) throw new Error(edited.reason);
  return edited.layout;
}

async function manifestAt(disk: MemoryDevice, { start, length }: { start: number; length: number }) {
  const window = new WindowDevice(disk, start, length);
  const volume: Volume = await (await probeFileSystem(window))!.driver.open(window);
  const out = [];
  for await (const entry of takeManifest(volume, window, { alwaysBytes: true, hasher: quickHasher })) out.push(entry);
  return out;
}

const kindsOf = (plan: Plan): string[] => plan.steps.map((s) => s.kind);

describe('a volume is copied', () => {
  it.each([
    ['fat16', '20 MiB', '14 MiB'],
    ['exfat', '12 MiB', '6 MiB'],
    ['ntfs', '12 MiB', '9 MiB'],
    ['ext4', '12 MiB', '9 MiB'],
  ])('from another disk: %s, as long, smaller and larger, whatever is cut', async (kind, size, smaller) => {
    const source = await stick('24 MiB', [volumeOf('OLD', size, kind)]);
    const before = source.buffer.slice();
    const from = await surveyDisk(source);
    const original = from.volumes[0]!;
    for (const wanted of [original.length, Number.parseInt(smaller) * MIB, original.length + 5 * MIB]) {
      const disk = await stick('40 MiB', [volumeOf('HERE', '5 MiB', 'fat12')]);
      const survey = await surveyDisk(disk);
      const planned = withCopy(survey, from, OLD, 1, { size: wanted, label: 'COPY' });
      const plan = derivePlan(survey, planned, { disks: [{ disk: OLD, name: 'Old stick', survey: from }] });
      expect(plan.sources).toMatchObject([{ disk: OLD, name: 'Old stick' }]);
      const end = await surviveCuts(plan, disk, seededRandom(wanted), 4, new Map([[OLD, source]]));
      const after = await surveyDisk(end);
      const copy = after.volumes[1]!;
      expect(copy).toMatchObject({ length: wanted, files: original.files, findings: [] });
      expect(copy.info).toMatchObject({ kind, label: 'COPY' });
      if (original.info!.hiddenSectors) expect(copy.info!.hiddenSectors).toBe(copy.start / 512);
      expect(copy.info!.serial).not.toBe(original.info!.serial);
      expect(await manifestAt(end, copy)).toEqual(await manifestAt(source, original));
    }
    expect(Buffer.compare(source.buffer, before)).toBe(0);
  });

  it('on its own disk, while the original is moved and made smaller', async () => {
    const disk = await stick('60 MiB', [volumeOf('A', '10 MiB', 'fat12'), volumeOf('B', '16 MiB', 'ntfs')]);
    const survey = await surveyDisk(disk);
    const layout = withCopy(survey, survey, HERE, 2);
    const [a, b, copy] = layout.volumes;
    const planned = { ...layout, volumes: [a!, { ...b!, start: b!.start + 2 * MIB, length: 12 * MIB }, copy!] };
    const plan = derivePlan(survey, planned);
    expect(kindsOf(plan).filter((k) => k === 'check')).toHaveLength(2);
    const before = await manifestAt(disk, survey.volumes[1]!);
    const end = await surviveCuts(plan, disk, seededRandom(3), 4);
    const after = await surveyDisk(end);
    expect(after.volumes.map((v) => v.info?.label)).toEqual(['A', 'B', 'B']);
    expect(new Set(after.volumes.map((v) => v.info?.serial)).size).toBe(3);
    expect(new Set(after.volumes.map((v) => v.guid)).size).toBe(3);
    for (const volume of after.volumes.slice(1)) expect(await manifestAt(end, volume)).toEqual(before);
  });

  it('and takes its original’s place, identity and all, where that goes', async () => {
    const disk = await stick('40 MiB', [volumeOf('A', '10 MiB', 'exfat')]);
    const survey = await surveyDisk(disk);
    const layout = withCopy(survey, survey, HERE, 1, { identity: 'kept' });
    const plan = derivePlan(survey, { ...layout, volumes: layout.volumes.slice(1) });
    expect(kindsOf(plan)).toEqual(['check', 'carry', 'remove', 'table', 'prove']);
    const after = await surveyDisk(await surviveCuts(plan, disk, seededRandom(4), 3));
    expect(after.volumes.map((v) => v.info?.serial)).toEqual([survey.volumes[0]!.info!.serial]);
  });

  it('whole, where nobody knows what it holds', async () => {
    const source = await stick('24 MiB', [{ size: '6 MiB', fileSystem: 'unknown', label: '' }]);
    const from = await surveyDisk(source);
    const disk = await stick('24 MiB', []);
    const survey = await surveyDisk(disk);
    expect(() => withCopy(survey, from, OLD, 1, { size: 7 * MIB })).toThrow(/keeps its size/);
    const disks = [{ disk: OLD, name: 'Old stick', survey: from }];
    const plan = derivePlan(survey, withCopy(survey, from, OLD), { disks });
    const end = await surviveCuts(plan, disk, seededRandom(5), 3, new Map([[OLD, source]]));
    const [was, is] = [from.volumes[0]!, (await surveyDisk(end)).volumes[0]!];
    const bytesOf = (device: MemoryDevice, at: number): Uint8Array => device.buffer.subarray(at, at + was.length);
    expect(Buffer.compare(bytesOf(source, was.start), bytesOf(end, is.start))).toBe(0);
  });

  it('is refused where it could not be read, is not at hand, or its place is needed', async () => {
    const from = await surveyDisk(await stick('24 MiB', [volumeOf('OLD', '12 MiB', 'ntfs')]));
    const survey = await surveyDisk(await stick('40 MiB', []));
    const planned = withCopy(survey, from, OLD);
    expect(() => derivePlan(survey, planned)).toThrow(/not at hand/);
    const coarse = { ...from, sectorSize: 4096 };
    const disks = [{ disk: OLD, name: 'Old stick', survey: coarse }];
    expect(() => derivePlan(survey, planned, { disks })).toThrow(/sectors of 4096 bytes/);
    const own = await surveyDisk(await stick('40 MiB', [volumeOf('A', '10 MiB', 'fat12')]));
    const copied = withCopy(own, own, HERE).volumes[1]!;
    const over = { ...layoutOf(own), volumes: [{ ...copied, start: 6 * MIB }] };
    expect(() => derivePlan(own, over)).toThrow(/take it away in the next/);
  });

  it('not from another disk than the one that was planned with, at its beginning or later', async () => {
    const source = await stick('24 MiB', [volumeOf('OLD', '12 MiB', 'fat12')]);
    const from = await surveyDisk(source);
    const foreign = await stick('24 MiB', [volumeOf('ELSE', '12 MiB', 'fat12')]);
    const disk = await stick('40 MiB', []);
    const survey = await surveyDisk(disk);
    const plan = derivePlan(survey, withCopy(survey, from, OLD), {
      disks: [{ disk: OLD, name: 'Old stick', survey: from }],
    });
    const before = disk.buffer.slice();
    const journal = new MemoryJournal();
    const start = startRun(plan, { disk, others: new Map([[OLD, foreign]]), journal, now: NOW });
    await expect(start).rejects.toMatchObject({ code: 'run.source' });
    await expect(startRun(plan, { disk, journal, now: NOW })).rejects.toMatchObject({ code: 'run.source' });
    expect(Buffer.compare(disk.buffer, before)).toBe(0);
    const abort = new AbortController();
    const run = startRun(plan, {
      disk,
      others: new Map([[OLD, source]]),
      journal,
      now: NOW,
      signal: abort.signal,
      progress: ({ step }) => void (step > 0 && abort.abort()),
    });
    await expect(run).rejects.toMatchObject({ code: 'run.stopped' });
    const again = resumeRun({ disk, others: new Map([[OLD, foreign]]), journal, now: NOW });
    await expect(again).rejects.toMatchObject({ code: 'run.source' });
    expect((await resumeRun({ disk, others: new Map([[OLD, source]]), journal, now: NOW })).proven).toBe(true);
  });
});

describe('a disk that fails', () => {
  it('is copied as far as it can be read, and each file that lost bytes is told', async () => {
    const source = await stick('24 MiB', [volumeOf('OLD', '16 MiB', 'ntfs')]);
    const from = await surveyDisk(source);
    const [original] = from.volumes;
    const window = new WindowDevice(source, original!.start, original!.length);
    const volume = await (await probeFileSystem(window))!.driver.open(window);
    const hurt: { path: string; offset: number }[] = [];
    for await (const entry of volume.walk()) {
      if (entry.kind === 'folder' || hurt.length === 2) continue;
      for await (const run of volume.content(entry))
        if (run.kind === 'at' && !hurt.some((h) => h.path === entry.path))
          hurt.push({ path: entry.path, offset: original!.start + run.offset });
    }
    const dead = hurt.map(({ offset }) => ({ start: offset + 512, end: offset + 1536 }));
    const failing = new MediumDevice(source, { read: 1e9, write: 1e9, seek: 0, weak: [], dead });
    const disk = await stick('40 MiB', []);
    const survey = await surveyDisk(disk);
    const disks = [{ disk: OLD, name: 'Old stick', survey: await surveyDisk(failing) }];
    const plan = derivePlan(survey, withCopy(survey, from, OLD), { disks });
    const target = await OverlayDevice.open(disk);
    const certificate = await startRun(plan, {
      disk: target,
      others: new Map([[OLD, failing]]),
      journal: new MemoryJournal(),
      now: NOW,
    });
    expect(certificate).toMatchObject({ outcome: 'salvaged', proven: false });
    expect(certificate.volumes[0]).toMatchObject({ differing: 0, findings: [] });
    expect(certificate.volumes[0]!.lost).toMatchObject({ files: 2, bytes: 2048, elsewhere: 0 });
    expect(certificate.volumes[0]!.lost!.listed).toEqual(hurt.map(({ path }) => ({ path, bytes: 1024 })));
  });
});
