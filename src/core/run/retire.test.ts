/** Wiping, mending, and putting volumes back: what was asked changes and nothing else, whatever is cut. */
import { MemoryDevice, WindowDevice } from '@/core/device';
import { CoreError } from '@/core/errors';
import { layoutOf, surveyDisk, type Survey } from '@/core/inspect';
import { parseTarget, resolveTarget, type TargetInput } from '@/core/job';
import { giveRoom } from '@/core/layout';
import { derivePlan, type Plan } from '@/core/plan';
import { seededRandom } from '@/core/practice';
import { takeManifest, type ManifestEntry } from '@/core/proof';
import { Session } from '@/core/session';
import { describe, expect, it } from 'vitest';
import { MemoryJournal, readRunState, resumeRun, startRun } from '.';
import { surviveCuts } from './fixtures/cuts';
import { buildStick, NOW } from './fixtures/sticks';
import { openAt, randomTree, writeOn, type VolumePlace } from './fixtures/trees';
import { traceRun } from './fixtures/trace';

const MIB = 1024 * 1024;
const KINDS = ['fat16', 'exfat', 'ntfs', 'ext4'];

/** A disk with a volume of each kind, some room between them and behind. */
async function shelf(kinds: readonly string[], table: 'mbr' | 'gpt' = 'gpt', seed = 3): Promise<MemoryDevice> {
  const volumes = kinds.map((fileSystem, i) => ({
    size: '14 MiB',
    start: `${1 + i * 16} MiB`,
    fileSystem,
    label: `VOL${i + 1}`,
    fill: [{ file: 'mine.txt', text: fileSystem }],
  }));
  const disk = await buildStick({ table, size: `${2 + kinds.length * 16} MiB`, volumes: volumes as never });
  for (const [i, place] of (await surveyDisk(disk)).volumes.entries())
    await writeOn(disk, place, (writer) => randomTree(writer, kinds[i]!, 'tree', 20, seededRandom(seed + i)));
  return disk;
}

async function planned(disk: MemoryDevice, input: TargetInput): Promise<{ plan: Plan; survey: Survey }> {
  const target = parseTarget(input);
  const session = await Session.open(disk, 'disk', true);
  const survey = target.volumes.some((v) => 'find' in v) ? await session.find() : session.survey;
  return { survey, plan: derivePlan(survey, resolveTarget(survey, target).layout) };
}

async function manifest(disk: MemoryDevice, place: VolumePlace): Promise<ManifestEntry[]> {
  const out: ManifestEntry[] = [];
  const window = new WindowDevice(disk, place.start, place.length);
  for await (const entry of takeManifest(await openAt(disk, place), window, { alwaysBytes: true })) out.push(entry);
  return out;
}

/** One after the other: they share a hasher. */
async function manifests(disk: MemoryDevice, { volumes }: Survey): Promise<ManifestEntry[][]> {
  const out: ManifestEntry[][] = [];
  for (const volume of volumes) out.push(await manifest(disk, volume));
  return out;
}

const ports = (disk: MemoryDevice) => ({ disk, journal: new MemoryJournal(), now: NOW });
const keepAll = (survey: Survey): TargetInput['volumes'] => survey.volumes.map((v) => ({ keep: v.number }));

/** Every byte that differs between two disks, as ranges joined over gaps of less than a sector. */
function changed(a: MemoryDevice, b: MemoryDevice): { start: number; end: number }[] {
  const out: { start: number; end: number }[] = [];
  for (let at = 0; at < a.size; at += 512) {
    if (Buffer.compare(a.buffer.subarray(at, at + 512), b.buffer.subarray(at, at + 512)) === 0) continue;
    const last = out.at(-1);
    if (last?.end === at) last.end = at + 512;
    else out.push({ start: at, end: at + 512 });
  }
  return out;
}

/** Leftovers everywhere that nobody owns, so that what is wiped can be told. */
async function litter(disk: MemoryDevice): Promise<void> {
  const survey = await surveyDisk(disk);
  for (const { start, end } of survey.unallocated) disk.buffer.fill(0x5a, start, end);
  for (const v of survey.volumes) {
    let from = 0;
    for (const used of [...v.allocation, { start: v.info!.size, end: v.info!.size }]) {
      if (used.start > from) disk.buffer.fill(0x5a, v.start + from, v.start + used.start);
      from = Math.max(from, used.end);
    }
  }
}

describe('what is unallocated', () => {
  it.each([
    ['gpt', 'zeros'],
    ['mbr', 'ones'],
    ['mbr', ['random', 'zeros']],
  ] as const)('is written over on a disk with %s: %s, and nothing else changes', async (table, pattern) => {
    const disk = await shelf(['fat16', 'ntfs', 'ext4'], table);
    await litter(disk);
    const { survey } = await planned(disk, { volumes: [], remove: [1, 2, 3] });
    const { plan } = await planned(disk, {
      volumes: [{ keep: 1 }, { keep: 3 }],
      remove: [2],
      wipe: [{ what: 'unallocated', pattern: pattern as never }],
    });
    const end = await surviveCuts(plan, disk, seededRandom(8), 5);
    const after = await surveyDisk(end);
    expect(after.volumes.map((v) => v.info!.label)).toEqual(['VOL1', 'VOL3']);
    const byte = pattern === 'ones' ? 0xff : 0;
    for (const { start, end: stop } of after.unallocated)
      expect(end.buffer.subarray(start, stop).every((b) => b === byte)).toBe(true);
    const kept = [survey.volumes[0]!, survey.volumes[2]!];
    for (const { start, length } of kept)
      expect(changed(disk, end).some((c) => c.start < start + length && start < c.end)).toBe(false);
  });

  it('is random where that is asked for: a chi-square test finds nothing, and no two runs are the same', async () => {
    const disk = await shelf(['fat16'], 'mbr');
    const { plan } = await planned(disk, {
      volumes: [{ keep: 1 }],
      wipe: [{ what: 'unallocated', pattern: 'random', compare: '1/4' }],
    });
    const ends: MemoryDevice[] = [];
    for (let n = 0; n < 2; n++) {
      const copy = new MemoryDevice(disk.buffer.slice());
      const certificate = await startRun(plan, ports(copy));
      const [wipe] = certificate.wipes!;
      expect(wipe).toMatchObject({ differing: 0, unwrittenBytes: 0 });
      expect(wipe!.compared / wipe!.bytes).toBeGreaterThan(0.2);
      expect(wipe!.compared / wipe!.bytes).toBeLessThan(0.6);
      ends.push(copy);
    }
    const bytes = ends[0]!.buffer.subarray(15 * MIB, 18 * MIB);
    const counts = new Float64Array(256);
    for (const b of bytes) counts[b]! += 1;
    const expected = bytes.length / 256;
    const chi = counts.reduce((sum, n) => sum + (n - expected) ** 2 / expected, 0);
    // 255 degrees of freedom: between these bounds but for two in a million.
    expect(chi).toBeGreaterThan(160);
    expect(chi).toBeLessThan(375);
    expect(Buffer.compare(bytes, ends[1]!.buffer.subarray(15 * MIB, 18 * MIB))).not.toBe(0);
  });
});

/** A disk with sectors that can't be written. */
class Worn extends MemoryDevice {
  constructor(
    bytes: Uint8Array,
    private readonly from: number,
    private readonly to: number,
  ) {
    super(bytes);
  }

  protected override async writeAt(offset: number, from: Uint8Array): Promise<void> {
    if (offset < this.to && this.from < offset + from.length)
      throw new CoreError('device.write-failed', { offset, length: from.length });
    await super.writeAt(offset, from);
  }
}

describe('sectors that can’t be written', () => {
  const wipe: TargetInput['wipe'] = [{ what: 'unallocated', pattern: 'ones' }];

  it('are told, and everything else is written over', async () => {
    const { buffer } = await shelf(['fat16'], 'mbr');
    const { plan } = await planned(new MemoryDevice(buffer.slice()), { volumes: [{ keep: 1 }], wipe });
    const [from, to] = [16 * MIB + 512, 16 * MIB + 2048];
    const disk = new Worn(buffer, from, to);
    const certificate = await startRun(plan, ports(disk));
    expect(certificate.outcome).toBe('differs');
    expect(certificate.wipes![0]).toMatchObject({ unwrittenBytes: 1536, differing: 1536 });
    expect(certificate.wipes![0]!.unwritten[0]).toEqual({ start: from, length: 512 });
    const left = buffer.subarray(15 * MIB, 18 * MIB).reduce((sum, b) => sum + (b === 0xff ? 0 : 1), 0);
    expect(left).toBe(1536);
  });

  it('are a disk that is gone where all are, and the run stops', async () => {
    const { buffer } = await shelf(['fat16'], 'mbr');
    const { plan } = await planned(new MemoryDevice(buffer.slice()), { volumes: [{ keep: 1 }], wipe });
    const disk = new Worn(buffer, 15 * MIB, 18 * MIB);
    await expect(startRun(plan, ports(disk))).rejects.toMatchObject({ code: 'device.write-failed' });
  });
});

describe('free space inside a volume', () => {
  it.each(KINDS)('of %s is written over, and no file is touched', async (kind) => {
    const disk = await shelf([kind, 'fat16'], 'mbr');
    await litter(disk);
    const survey = await surveyDisk(disk);
    const before = await manifest(disk, survey.volumes[0]!);
    const wipe: TargetInput['wipe'] = [{ what: 'free', volume: 1, pattern: ['ones', 'zeros'] }];
    const { plan } = await planned(disk, { volumes: keepAll(survey), wipe });
    const end = await surviveCuts(plan, disk, seededRandom(2), 4);
    const [volume, other] = (await surveyDisk(end)).volumes;
    expect(await manifest(end, volume!)).toEqual(before);
    expect(volume!.findings).toEqual(survey.volumes[0]!.findings);
    const left = new MemoryDevice(end.buffer.slice(volume!.start, volume!.start + volume!.info!.size));
    for (const { start, end: stop } of volume!.allocation) left.buffer.fill(0, start, Math.min(stop, left.size));
    expect(left.buffer.every((b) => b === 0)).toBe(true);
    expect(changed(disk, end).every((c) => c.end <= other!.start)).toBe(true);
  });
});

it('free space of a volume that is not sound is not wiped', async () => {
  const disk = await shelf(['exfat', 'fat16'], 'mbr');
  // Marked as not put away properly.
  disk.buffer[MIB + 106] = 2;
  const wipe: TargetInput['wipe'] = [{ what: 'free', volume: 1 }];
  await expect(planned(disk, { volumes: [{ keep: 1 }, { keep: 2 }], wipe })).rejects.toMatchObject({
    code: 'fs.unsound',
  });
});

describe('a whole disk', () => {
  it('is written over, its table with it', async () => {
    const disk = await shelf(['fat16', 'ntfs'], 'gpt');
    const { plan } = await planned(disk, { volumes: [], remove: [1, 2], wipe: [{ what: 'disk', pattern: 'ones' }] });
    const end = await wipeThrough(plan, disk);
    expect(end.buffer.every((b) => b === 0xff)).toBe(true);
  });

  it('can be divided anew at once', async () => {
    const disk = await shelf(['fat16', 'ntfs'], 'gpt');
    const { plan } = await planned(disk, {
      table: 'mbr',
      volumes: [{ create: 'fat16', size: '14 MiB', label: 'FRESH' }],
      remove: [1, 2],
      wipe: [{ what: 'disk' }],
    });
    const end = await wipeThrough(plan, disk);
    const after = await surveyDisk(end);
    expect([after.table, after.volumes.map((v) => v.info!.label)]).toEqual(['mbr', ['FRESH']]);
    expect(end.buffer.subarray(16 * MIB).every((b) => b === 0)).toBe(true);
  });

  it('is not while anything on it is kept', async () => {
    const disk = await shelf(['fat16', 'ntfs'], 'gpt');
    await expect(planned(disk, { volumes: [{ keep: 1 }], remove: [2], wipe: [{ what: 'disk' }] })).rejects.toThrow(
      /nothing on it is kept/,
    );
  });
});

/** Runs, cut at a few writes and gone on with; nothing is proven where nothing is kept. */
async function wipeThrough(plan: Plan, disk: MemoryDevice): Promise<MemoryDevice> {
  const trace = await traceRun(plan, disk, new Map());
  const random = seededRandom(4);
  for (let n = 0; n < 4; n++) {
    const torn = { ...(await trace.tear(Math.floor(random() * trace.operations), random)), now: NOW };
    const again = (await readRunState(torn.journal)) ? resumeRun(torn) : startRun(plan, torn);
    expect((await again).outcome).toBe('nothing kept');
    expect(Buffer.compare(torn.disk.buffer, trace.end.disk.buffer)).toBe(0);
  }
  return trace.end.disk;
}

it('what a volume that goes held is written over before anything comes to its place', async () => {
  const disk = await shelf(['fat16', 'ntfs'], 'mbr');
  const { plan } = await planned(disk, {
    volumes: [{ keep: 2 }],
    remove: [1],
    wipe: [{ what: 'volume', volume: 1, pattern: 'zeros' }],
  });
  const kinds = plan.steps.map((s) => s.kind);
  expect(kinds.indexOf('wipe')).toBe(kinds.indexOf('remove') + 1);
  const end = await surviveCuts(plan, disk, seededRandom(1), 4);
  expect(end.buffer.subarray(MIB, 15 * MIB).every((b) => b === 0)).toBe(true);
});

describe('volumes that no entry names', () => {
  it.each(['mbr', 'gpt'] as const)('come back with all files: entries deleted on a disk with %s', async (table) => {
    const disk = await shelf(KINDS, table);
    const before = await surveyDisk(disk);
    const files = await manifests(disk, before);
    const { plan } = await planned(disk, { volumes: [{ keep: 1 }], remove: [2, 3, 4] });
    await startRun(plan, ports(disk));
    const session = await Session.open(disk, 'disk');
    const { lost } = await session.find();
    expect(lost!.map((v) => [v.start, v.length, v.info!.kind, v.info!.label, v.lost!.whole])).toEqual(
      before.volumes.slice(1).map((v) => [v.start, v.info!.size, v.info!.kind, v.info!.label, v.files]),
    );
    const back = await planned(disk, { volumes: [{ keep: 1 }, { find: 1 }, { find: 2, label: 'AGAIN' }, { find: 3 }] });
    const end = await surviveCuts(back.plan, disk, seededRandom(6), 4);
    const after = await surveyDisk(end);
    expect(after.volumes.map((v) => v.info?.label)).toEqual(['VOL1', 'VOL2', 'AGAIN', 'VOL4']);
    for (const [i, v] of after.volumes.entries()) expect(await manifest(end, v)).toEqual(files[i]);
    expect((await (await Session.open(end, 'disk')).find()).lost).toEqual([]);
  });

  it.each([
    ['its table gone', 512],
    ['its first megabyte written over', MIB],
  ])('come back on a disk with %s', async (_, length) => {
    const disk = await shelf(KINDS, 'mbr');
    const before = await surveyDisk(disk);
    const random = seededRandom(5);
    for (let i = 0; i < length; i++) disk.buffer[i] = Math.floor(random() * 256);
    const input: TargetInput = { table: 'mbr', volumes: [{ find: 1 }, { find: 2 }, { find: 3 }, { find: 4 }] };
    const { plan } = await planned(disk, input);
    await expect(planned(disk, { ...input, table: undefined } as never)).rejects.toThrow(/no table/);
    const end = await surviveCuts(plan, disk, seededRandom(6), 3);
    const after = await surveyDisk(end);
    expect(after.volumes.map((v) => [v.start, v.info!.label, v.files])).toEqual(
      before.volumes.map((v) => [v.start, v.info!.label, v.files]),
    );
  });

  it('are each found once, whatever copies of their beginnings there are', async () => {
    const volumes = ['fat32', 'ntfs', 'exfat', 'ext2'].map((fileSystem, i) => ({
      size: '36 MiB',
      start: `${1 + i * 36} MiB`,
      fileSystem,
      ...(fileSystem === 'fat32' ? { clusterSize: 512 } : {}),
      label: `V${i}`,
      fill: [{ folder: 'a', count: 30, name: '{n}.bin', smallest: '1 KiB', largest: '90 KiB' }],
    }));
    const disk = await buildStick({ table: 'mbr', size: '150 MiB', volumes: volumes as never });
    const before = await surveyDisk(disk);
    disk.buffer.fill(0, 0, 512);
    const { lost } = await (await Session.open(disk, 'disk', true)).find();
    expect(lost!.map((v) => [v.start, v.info!.label, v.files, v.lost!.whole])).toEqual(
      before.volumes.map((v) => [v.start, v.info!.label, 30, 30]),
    );
  });

  it('are none on a sound disk, and none where a volume was made smaller', async () => {
    const disk = await shelf(KINDS);
    expect((await (await Session.open(disk, 'disk')).find()).lost).toEqual([]);
    const { plan } = await planned(disk, {
      volumes: [{ keep: 1, size: '12 MiB' }, { keep: 2 }, { keep: 3, size: '12 MiB' }, { keep: 4, size: '12 MiB' }],
    });
    await startRun(plan, ports(disk));
    expect((await (await Session.open(disk, 'disk')).find()).lost).toEqual([]);
  });

  it('are mended as they are put back, where their beginning is damaged', async () => {
    const disk = await shelf(['fat16', 'exfat', 'ntfs', 'ext4'], 'gpt');
    const before = await surveyDisk(disk);
    const files = await manifests(disk, before);
    await startRun((await planned(disk, { volumes: [{ keep: 1 }], remove: [2, 3, 4] })).plan, ports(disk));
    for (const v of before.volumes.slice(1)) disk.buffer.fill(0, v.start, v.start + 2048);
    const { plan, survey } = await planned(disk, { volumes: [{ keep: 1 }, { find: 1 }, { find: 2 }, { find: 3 }] });
    expect(survey.lost!.map((v) => v.seen!.mends.length > 0)).toEqual([true, true, true]);
    const end = await surviveCuts(plan, disk, seededRandom(9), 4);
    const after = await surveyDisk(end);
    expect(after.volumes.flatMap((v) => v.findings)).toEqual(before.volumes.flatMap((v) => v.findings));
    for (const [i, v] of after.volumes.entries()) expect(await manifest(end, v)).toEqual(files[i]);
  });
});

describe('mending', () => {
  it.each(['exfat', 'ntfs', 'ext4'])('a damaged %s volume is shown with kind and label, and mended', async (kind) => {
    const disk = await shelf([kind, 'fat16'], 'mbr');
    const [sound] = (await surveyDisk(disk)).volumes;
    const files = await manifest(disk, sound!);
    disk.buffer.fill(0, sound!.start, sound!.start + 2048);
    const session = await Session.open(disk, 'disk');
    const [damaged] = session.survey.volumes;
    expect(damaged!.info).toBeUndefined();
    expect(damaged!.seen!.volume).toMatchObject({ files: sound!.files, info: { kind, label: 'VOL1' } });
    expect(layoutOf(session.survey).volumes[0]).toMatchObject({ label: 'VOL1', fileSystem: 'unknown' });
    const open = await session.volume(1);
    expect(open.volume.info.label).toBe('VOL1');
    const survey = await session.lookForMends();
    const plan = derivePlan(survey, { ...layoutOf(survey), mend: true });
    expect(plan.steps.map((s) => s.kind)).toEqual(['mend', 'check', 'check', 'prove', 'prove']);
    const end = await surviveCuts(plan, disk, seededRandom(3), 4);
    const [after] = (await surveyDisk(end)).volumes;
    expect(await manifest(end, after!)).toEqual(files);
    expect(after!.findings).toEqual(sound!.findings);
  });

  it('a volume that is longer than its place opens for reading, and says so', async () => {
    const disk = await shelf(['ntfs', 'fat16'], 'mbr');
    const before = await manifest(disk, (await surveyDisk(disk)).volumes[0]!);
    const entry = new DataView(disk.buffer.buffer, disk.buffer.byteOffset + 446);
    entry.setUint32(12, entry.getUint32(12, true) - 2048, true);
    const survey = await surveyDisk(disk);
    const [volume] = survey.volumes;
    expect(volume!.seen!.volume.findings.map((f) => f.code)).toEqual(['fs.longer']);
    expect(volume!.seen!.volume).toMatchObject({ info: { label: 'VOL1' } });
    expect(volume!.seen!.mends).toEqual([]);
    // Given the room that it says it has, all of it is there.
    const wider = giveRoom(layoutOf(survey), layoutOf(survey).volumes[0]!.id, volume!.seen!.volume.info!.size);
    if (!wider.ok) throw new Error(wider.reason);
    const end = await surviveCuts(derivePlan(survey, wider.layout), disk, seededRandom(12), 4);
    const after = await surveyDisk(end);
    expect(after.volumes[0]).toMatchObject({ length: 14 * MIB, findings: [], info: { label: 'VOL1' } });
    expect(await manifest(end, after.volumes[0]!)).toEqual(before);
    expect(giveRoom(layoutOf(survey), layoutOf(survey).volumes[0]!.id, 20 * MIB).ok).toBe(false);
  });

  it('a sound disk has nothing to mend', async () => {
    const disk = await shelf(KINDS);
    const survey = await (await Session.open(disk, 'disk')).lookForMends();
    expect(derivePlan(survey, { ...layoutOf(survey), mend: true }).steps).toEqual([]);
  });
});
