/** Failing places are taken out of use by the plan: what lies on them is carried off, and nothing comes there any more. */
import { MediumDevice, WindowDevice, type BlockDevice } from '@/core/device';
import { rounds } from '@/core/fixtures/rounds';
import { driverOf, joinRanges, overlapsAny, type ByteRange } from '@/core/fs';
import { surveyDisk, type Survey } from '@/core/inspect';
import { parseTarget, resolveTarget, type TargetInput } from '@/core/job';
import { derivePlan, type Failing, type Plan } from '@/core/plan';
import { seededRandom } from '@/core/practice';
import { describe, expect, it } from 'vitest';
import { MemoryJournal, startRun } from '.';
import { surviveCuts } from './fixtures/cuts';
import { Worn } from './fixtures/worn';
import { buildStick, NOW } from './fixtures/sticks';

const MIB = 1024 * 1024;
const KINDS = ['fat16', 'fat32', 'exfat', 'ntfs', 'ext4'] as const;

const fill = [
  { folder: 'Ferns', count: 40, name: '{nn} {word}.bin', smallest: '10 KiB', largest: '200 KiB', fragments: 3 },
  { folder: 'Far', count: 10, name: '{nn}.bin', smallest: '20 KiB', largest: '90 KiB', near: 0.8 },
];

async function stick(fileSystem: string) {
  const size = fileSystem === 'fat32' ? '80 MiB' : '48 MiB';
  return buildStick({ table: 'gpt', size, volumes: [{ fileSystem, label: 'OLD', fill }] as never });
}

/** Sectors, a few of them at a time, that are read only at a further try; and some that can't be, where nothing is. */
function failingOn({ volumes, size }: Survey, inFile: number, random: () => number): Failing {
  const { allocation, start } = volumes[0]!;
  const sectors = (n: number) =>
    Array.from({ length: n }, () => {
      const at = 512 * Math.floor((size / 512 - 8) * random());
      return { start: at, end: at + 512 * (1 + Math.floor(6 * random())) };
    }).sort((a, b) => a.start - b.start);
  const used = (r: ByteRange): boolean => allocation.some((a) => a.start + start < r.end && r.start < a.end + start);
  // Where the table stands nothing is asked for.
  const weak = [...sectors(10), { start: inFile, end: inFile + 512 }].sort((a, b) => a.start - b.start);
  return { weak, dead: sectors(10).filter((r) => !used(r) && r.start > MIB && r.end < size - MIB) };
}

/** A byte of the disk that a file is on. */
async function placeInFile(disk: BlockDevice, { start, length, info }: Survey['volumes'][number]): Promise<number> {
  const volume = await driverOf(info!.kind)!.open(new WindowDevice(disk, start, length));
  for await (const entry of volume.walk())
    if (entry.kind === 'file')
      for await (const run of volume.content(entry)) if (run.kind === 'at') return start + run.offset;
  throw new RangeError('no file has anything');
}

/** Files of a disk that lie on any of these. */
async function filesOn(disk: BlockDevice, ranges: readonly ByteRange[]): Promise<string[]> {
  const out: string[] = [];
  for (const { start, length, info } of (await surveyDisk(disk)).volumes) {
    const volume = await driverOf(info!.kind)!.open(new WindowDevice(disk, start, length));
    for await (const entry of volume.walk()) {
      if (entry.kind !== 'file') continue;
      for await (const run of volume.content(entry))
        if (
          run.kind === 'at' &&
          ranges.some((r) => r.start < start + run.offset + run.length && start + run.offset < r.end)
        )
          out.push(entry.path);
    }
  }
  return out;
}

const planOn = async (disk: BlockDevice, target: TargetInput, failing: Failing, override = false) => {
  const survey = await surveyDisk(disk);
  const { layout } = resolveTarget(survey, parseTarget(target));
  return derivePlan(survey, layout, { failing, override, retireFailing: true });
};

/** Places of a disk, some of them of more than a sector: anywhere in a stretch, and where what is in use comes to. */
function deadIn({ start, end }: ByteRange, used: readonly ByteRange[], random: () => number): ByteRange[] {
  const one = (from: ByteRange): ByteRange => {
    const at = from.start + 512 * Math.floor((random() * (from.end - from.start)) / 512);
    return { start: at, end: at + 512 * (1 + Math.floor(random() ** 3 * 40)) };
  };
  const inUse = used.slice(1).map((r) => ({ start: start + r.start, end: start + r.end }));
  const picked = Array.from(
    { length: 1 + Math.floor(random() * 3) },
    () => inUse[Math.floor(random() * inUse.length)]!,
  );
  return joinRanges([...Array.from({ length: 2 }, () => ({ start, end })), ...picked].map(one));
}

describe('a volume that goes where places can’t be written', () => {
  it.each(KINDS)('leaves them out: %s, as it was, smaller, or partly over itself', async (kind) => {
    const [size, room] = kind === 'fat32' ? [42, 90] : [22, 50];
    const gone = { cleared: 0, refused: 0, hit: 0 };
    for (let round = 0; round < rounds(4, 60); round++) {
      const random = seededRandom(700 + round);
      const volumes = [{ fileSystem: kind, label: 'OLD', fill, size: `${size} MiB` }] as never;
      const disk = await buildStick({ table: 'gpt', size: `${room} MiB`, volumes });
      const survey = await surveyDisk(disk);
      const gap = [size + 2, size + 2, 3][round % 3]!;
      const [start, length] = [gap + 1, size - (round % 2 === 1 ? 2 : 0)].map((n) => n * MIB) as [number, number];
      const dead = deadIn({ start, end: start + length }, survey.volumes[0]!.allocation, random);
      const target: TargetInput = { volumes: [{ gap: `${gap} MiB` }, { keep: 1, size: `${length} B` }] };
      const { layout } = resolveTarget(survey, parseTarget(target));
      const moved = layout.volumes[0]!.start;
      let plan: Plan;
      try {
        plan = derivePlan(survey, layout, { failing: { weak: [], dead } });
      } catch (error) {
        expect(String(error)).toMatch(/carried onto a place that can’t be written/);
        const { immovable } = survey.volumes[0]!;
        const last = moved + length - 4096;
        expect(dead.some((d) => d.end > last || overlapsAny(immovable!, d.start - moved, d.end - moved))).toBe(true);
        gone.refused++;
        continue;
      }
      const used = survey.volumes[0]!.allocation;
      gone.hit += dead.filter((d) => overlapsAny(used, d.start - moved, d.end - moved)).length;
      gone.cleared++;
      const after = new Worn(disk.buffer.slice(), dead);
      expect((await startRun(plan, { disk: after, journal: new MemoryJournal(), now: NOW })).proven).toBe(true);
      const [volume] = (await surveyDisk(after)).volumes;
      expect(volume!.findings.filter((f) => f.severity !== 'info')).toEqual([]);
      expect(dead.filter((d) => overlapsAny(volume!.allocation, d.start - moved, d.end - moved))).toEqual([]);
      if (round % 3 === 0) await surviveCuts(plan, disk, random, 1);
    }
    expect(gone.cleared).toBeGreaterThan(0);
    expect(gone.hit).toBeGreaterThan(0);
  });
});

describe('failing places go out of use', () => {
  it.each(KINDS)('on %s that is made smaller with another volume beside it, whatever is cut', async (kind) => {
    let hit = 0;
    for (let round = 0; round < rounds(1, 12); round++) {
      const random = seededRandom(100 + round);
      const disk = await stick(kind);
      const survey = await surveyDisk(disk);
      const failing = failingOn(survey, await placeInFile(disk, survey.volumes[0]!), random);
      const all = [...failing.weak, ...failing.dead];
      hit += (await filesOn(disk, all)).length;
      const keep = kind === 'fat32' ? '44 MiB' : '24 MiB';
      const target: TargetInput = {
        volumes: [
          { keep: 1, size: keep },
          { create: kind === 'fat32' ? 'fat16' : kind, size: 'rest', label: 'NEW' },
        ],
      };
      const plan = await planOn(disk, target, failing);
      expect(plan.steps.filter((s) => s.kind === 'retire').length).toBe(2);
      const after = await surviveCuts(plan, disk, random, 3);
      const found = await surveyDisk(after);
      expect(found.volumes.flatMap((v) => v.findings.filter((f) => f.severity !== 'info'))).toEqual([]);
      expect(found.volumes.map((v) => v.info?.label)).toEqual(['OLD', 'NEW']);
      expect(await filesOn(after, all)).toEqual([]);
    }
    expect(hit).toBeGreaterThan(0);
  });

  it('alone, and what is gained with the room a volume gets', async () => {
    const disk = await buildStick({
      table: 'gpt',
      size: '48 MiB',
      volumes: [{ fileSystem: 'exfat', label: 'OLD', fill, size: '30 MiB' }] as never,
    });
    const weak = [{ start: 20 * MIB, end: 20 * MIB + 512 }];
    const dead = [{ start: 40 * MIB, end: 40 * MIB + 4096 }];
    const alone = await planOn(disk, { volumes: [{ keep: 1, role: 'system' }] }, { weak, dead });
    expect(alone.steps.map((s) => s.kind)).toEqual(['check', 'retire', 'prove']);
    expect(alone.restart).toBe('OLD is in use while its system runs');
    const grown = await planOn(disk, { volumes: [{ keep: 1, size: 'rest' }] }, { weak, dead });
    expect(grown.steps.map((s) => s.kind)).toEqual(['check', 'retire', 'table', 'grow', 'retire', 'prove']);
    const medium = new MediumDevice(disk, { read: 1e9, write: 1e9, seek: 0, weak, dead });
    expect((await startRun(grown, { disk: medium, journal: new MemoryJournal(), now: NOW })).proven).toBe(true);
    const [volume] = (await surveyDisk(disk)).volumes;
    expect(volume!.findings.filter((f) => f.severity !== 'info')).toEqual([]);
    const out = volume!.info!.outOfUse!.map((r) => ({ start: r.start + volume!.start, end: r.end + volume!.start }));
    for (const place of [...weak, ...dead])
      expect(out.some((r) => r.start <= place.start && place.end <= r.end)).toBe(true);
  });

  it.each(KINDS)('and stay where they are as %s goes elsewhere: nobody asks for what is on them', async (kind) => {
    const size = kind === 'fat32' ? '42 MiB' : '22 MiB';
    const disk = await buildStick({
      table: 'gpt',
      size: kind === 'fat32' ? '90 MiB' : '50 MiB',
      volumes: [{ fileSystem: kind, label: 'OLD', fill, size }] as never,
    });
    const at = await placeInFile(disk, (await surveyDisk(disk)).volumes[0]!);
    const place = { start: at, end: at + 512 };
    const plan = await planOn(disk, { volumes: [{ keep: 1 }] }, { weak: [place], dead: [] });
    expect((await startRun(plan, { disk, journal: new MemoryJournal(), now: NOW })).proven).toBe(true);
    expect((await planOn(disk, { volumes: [{ keep: 1 }] }, { weak: [place], dead: [] })).steps).toEqual([]);
    // By now it can't be read any more.
    const medium = new MediumDevice(disk, { read: 1e9, write: 1e9, seek: 0, weak: [], dead: [place] });
    const survey = await surveyDisk(medium);
    const gap = kind === 'fat32' ? '44 MiB' : '24 MiB';
    const { layout } = resolveTarget(survey, parseTarget({ volumes: [{ gap }, { keep: 1 }] }));
    const moved = derivePlan(survey, layout, { failing: { weak: [], dead: [place] } });
    expect(moved.steps.map((s) => s.kind)).toContain('carry');
    expect((await startRun(moved, { disk: medium, journal: new MemoryJournal(), now: NOW })).proven).toBe(true);
  });

  it('not where it was not wished, and nothing is carried onto what can’t be written', async () => {
    const disk = await buildStick({
      table: 'gpt',
      size: '48 MiB',
      volumes: [{ fileSystem: 'ntfs', label: 'OLD', fill, size: '20 MiB' }] as never,
    });
    const [old] = (await surveyDisk(disk)).volumes;
    const target: TargetInput = { volumes: [{ gap: '22 MiB' }, { keep: 1 }] };
    const start = 23 * MIB;
    const inUse = start + old!.allocation.find((a) => a.start > 0)!.start;
    const free = start + old!.allocation[0]!.end;
    const deadAt = (at: number): Failing => ({ weak: [], dead: [{ start: at, end: at + 512 }] });
    await expect(planOn(disk, target, deadAt(start))).rejects.toThrow(/carried onto a place that can’t be written/);
    expect((await planOn(disk, target, deadAt(start), true)).steps.length).toBeGreaterThan(0);
    for (const at of [inUse, free]) {
      const kinds = (await planOn(disk, target, deadAt(at))).steps.map((s) => s.kind);
      expect(kinds).toEqual(['check', 'retire', 'carry', 'table', 'prove']);
    }
    const { dead } = deadAt(3 * MIB);
    const survey = await surveyDisk(disk);
    const { layout } = resolveTarget(survey, parseTarget({ volumes: [{ keep: 1 }] }));
    expect(derivePlan(survey, layout, { failing: { weak: [{ start: 3 * MIB, end: 4 * MIB }], dead } }).steps).toEqual(
      [],
    );
  });

  it.each(['fat16', 'exfat'])('and no longer table of %s comes to lie on them', async (fileSystem) => {
    const disk = await buildStick({
      table: 'gpt',
      size: '120 MiB',
      volumes: [{ fileSystem, label: 'OLD', fill, size: '20 MiB' }] as never,
    });
    const [old] = (await surveyDisk(disk)).volumes;
    const grown: TargetInput = { volumes: [{ keep: 1, size: '100 MiB' }] };
    const at = (offset: number): Failing => {
      const start = old!.start + old!.info!.clustersFrom! + offset;
      return { weak: [], dead: [{ start, end: start + 512 }] };
    };
    await expect(planOn(disk, grown, at(3 * old!.info!.clusterSize))).rejects.toThrow(
      /needs a longer allocation table/,
    );
    const plan = await planOn(disk, grown, at(12 * MIB));
    expect((await startRun(plan, { disk, journal: new MemoryJournal(), now: NOW })).proven).toBe(true);
  });

  it('is refused where a volume has not the room', async () => {
    const disk = await stick('exfat');
    const [old] = (await surveyDisk(disk)).volumes;
    const floor = old!.limits!.floor.bytes;
    const weak = [{ start: 4 * MIB, end: 6 * MIB }];
    const target: TargetInput = { volumes: [{ keep: 1, size: `${floor} B` }] };
    await expect(planOn(disk, target, { weak, dead: [] })).rejects.toThrow(/take up to .* out of use, and it has 0 B/);
  });

  it('is refused on a volume that is not sound, unless that is overridden', async () => {
    const disk = await stick('exfat');
    const survey = await surveyDisk(disk);
    const findings = [{ severity: 'error', code: 'exfat.x', message: 'Something is wrong.' }] as const;
    const unsound = { ...survey, volumes: survey.volumes.map((v) => ({ ...v, findings })) };
    const { layout } = resolveTarget(survey, parseTarget({ volumes: [{ keep: 1 }] }));
    const options = { failing: { weak: [{ start: 4 * MIB, end: 5 * MIB }], dead: [] }, retireFailing: true };
    expect(() => derivePlan(unsound, layout, options)).toThrow(/Something is wrong/);
    const overridden = derivePlan(unsound, layout, { ...options, override: true });
    expect(overridden.steps.map((s) => s.kind)).toContain('retire');
  });
});
