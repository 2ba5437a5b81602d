/** Wiping, mending, and putting volumes back: what was asked changes and nothing else, whatever is cut. */
import { isAll } from '@/core/bytes/fixtures/filled';
import { MemoryDevice } from '@/core/device';
import { surveyDisk, type Survey } from '@/core/inspect';
import { type TargetInput } from '@/core/job';
import { type Plan } from '@/core/plan';
import { seededRandom } from '@/core/practice';
import { describe, expect, it } from 'vitest';
import { readRunState, resumeRun, startRun } from '.';
import { surviveCuts } from './fixtures/cuts';
import { NOW } from './fixtures/sticks';
import { traceRun } from './fixtures/trace';
import { Worn } from './fixtures/worn';
import { MIB, KINDS, shelf, planned, manifest, ports } from './fixtures/shelf';

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
    const end = await surviveCuts(plan, disk, seededRandom(8), 3);
    const after = await surveyDisk(end);
    expect(after.volumes.map((v) => v.info!.label)).toEqual(['VOL1', 'VOL3']);
    const byte = pattern === 'ones' ? 0xff : 0;
    for (const { start, end: stop } of after.unallocated)
      expect(isAll(byte, end.buffer.subarray(start, stop))).toBe(true);
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

describe('sectors that can’t be written', () => {
  const wipe: TargetInput['wipe'] = [{ what: 'unallocated', pattern: 'ones' }];

  it('are told, and everything else is written over', async () => {
    const { buffer } = await shelf(['fat16'], 'mbr');
    const { plan } = await planned(new MemoryDevice(buffer.slice()), { volumes: [{ keep: 1 }], wipe });
    const [from, to] = [16 * MIB + 512, 16 * MIB + 2048];
    const disk = new Worn(buffer, [{ start: from, end: to }]);
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
    const disk = new Worn(buffer, [{ start: 15 * MIB, end: 18 * MIB }]);
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
    const end = await surviveCuts(plan, disk, seededRandom(2), 2);
    const [volume, other] = (await surveyDisk(end)).volumes;
    expect(await manifest(end, volume!)).toEqual(before);
    expect(volume!.findings).toEqual(survey.volumes[0]!.findings);
    const left = new MemoryDevice(end.buffer.slice(volume!.start, volume!.start + volume!.info!.size));
    for (const { start, end: stop } of volume!.allocation) left.buffer.fill(0, start, Math.min(stop, left.size));
    expect(isAll(0, left.buffer)).toBe(true);
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
    expect(isAll(0xff, end.buffer)).toBe(true);
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
    expect(isAll(0, end.buffer.subarray(16 * MIB))).toBe(true);
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
  const end = await surviveCuts(plan, disk, seededRandom(1), 2);
  expect(isAll(0, end.buffer.subarray(MIB, 15 * MIB))).toBe(true);
});
