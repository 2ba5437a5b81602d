/** Random disks whose volumes are moved, swapped, shrunk and grown at once: the same files, and the same after any cut. */
import { MediumDevice, type MemoryDevice } from '@/core/device';
import { boundsOf, layoutOf, surveyDisk, type Survey } from '@/core/inspect';
import { ALIGNMENT, firstUsable, lastUsable, settle, type LaidVolume, type Layout } from '@/core/layout';
import { derivePlan, type Plan } from '@/core/plan';
import { seededRandom } from '@/core/practice';
import { isCoreError } from '@/core/errors';
import { describe, expect, it } from 'vitest';
import { MemoryJournal, startRun } from '.';
import { surviveCuts } from './fixtures/cuts';
import { buildStick, NOW } from './fixtures/sticks';

const MIB = 1024 * 1024;
const KINDS = ['fat12', 'exfat', 'ntfs', 'fat16', 'fat12'] as const;
const LEAST = { fat12: 2, exfat: 3, ntfs: 5, fat16: 9 } as const;

/** A disk of volumes with gaps between them, some of content nobody knows. */
async function randomDisk(table: 'mbr' | 'gpt', random: () => number, count?: number): Promise<MemoryDevice> {
  const pick = (low: number, high: number): number => Math.floor(low + random() * (high - low));
  const volumes = Array.from({ length: count ?? pick(2, table === 'mbr' ? 5 : 7) }, (_, i) => {
    const fileSystem = count ? 'fat12' : KINDS[pick(0, KINDS.length)]!;
    const size = LEAST[fileSystem] + (count ? pick(0, 2) : pick(1, 6));
    const fill = [{ folder: 'f', count: pick(1, 9), name: '{nn} {word}.bin', largest: '90 KiB', near: random() }];
    const unknown = i % 5 === 1 && random() < 0.4;
    return {
      size: `${size} MiB`,
      ...(unknown
        ? { fileSystem: 'unknown' }
        : { fileSystem, label: `V${i}`, fill: fill.map((f) => ({ ...f, smallest: '1 B', fragments: pick(1, 4) })) }),
    };
  });
  return buildStick({ id: `moves-${pick(0, 1e9)}`, table, size: '72 MiB', volumes: volumes as never });
}

/** Another order, other sizes, other gaps. */
function shuffled(survey: Survey, random: () => number): Layout | undefined {
  const now = layoutOf(survey);
  const bounds = boundsOf(survey);
  const order = [...now.volumes];
  for (let i = order.length - 1; i > 0; i--) {
    if (random() < 0.5) continue;
    const j = Math.floor(random() * (i + 1));
    [order[i], order[j]] = [order[j]!, order[i]!];
  }
  let spare = lastUsable(now) - firstUsable(now) - order.reduce((sum, v) => sum + v.length + ALIGNMENT, 0);
  let at = firstUsable(now);
  const volumes = order.map((volume): LaidVolume => {
    const bound = volume.origin.kind === 'kept' ? bounds.get(volume.origin.number) : undefined;
    let { length } = volume;
    if (bound && random() < 0.5) {
      const more = random() < 0.5 ? -random() * (length - bound.floor) : random() * Math.max(0, spare);
      const wanted = Math.floor((length + more) / MIB) * MIB;
      if (wanted >= bound.floor && wanted <= bound.ceiling && wanted - length <= spare) {
        spare -= wanted - length;
        length = wanted;
      }
    }
    const gap = random() < 0.5 ? Math.floor((random() * Math.max(0, spare)) / MIB) * MIB : 0;
    spare -= gap;
    const start = Math.ceil((at + gap) / ALIGNMENT) * ALIGNMENT;
    at = start + length;
    return { ...volume, start, length };
  });
  if (at > lastUsable(now)) return undefined;
  const settled = settle({ ...now, volumes }, bounds);
  return settled.ok ? settled.layout : undefined;
}

/** A plan for another layout, or none where it does not fit or cannot be reached. */
async function planned(disk: MemoryDevice, random: () => number): Promise<{ survey: Survey; plan: Plan } | undefined> {
  const survey = await surveyDisk(disk);
  const layout = shuffled(survey, random);
  if (!layout) return undefined;
  try {
    return { survey, plan: derivePlan(survey, layout) };
  } catch (error) {
    // Volumes in a ring with nothing to set one aside in.
    if (isCoreError(error, 'plan.refused') && /stand in each other/.test(error.message)) return undefined;
    throw error;
  }
}

const ratios: number[] = [];

describe.each(['gpt', 'mbr'] as const)('moves on a %s disk', (table) => {
  it.each(Array.from({ length: 14 }, (_, i) => i + 1))('seed %i', async (seed) => {
    const random = seededRandom(seed * 104_729 + table.length);
    const start = await randomDisk(table, random);
    const found = await planned(start, random);
    if (!found || found.plan.steps.length === 0) return;
    const { plan } = found;
    if (plan.leastCarried > 0) ratios.push(plan.total.carries / plan.leastCarried);
    const undisturbed = await surviveCuts(plan, start, random, 5);
    const after = await surveyDisk(undisturbed);
    expect(after.findings).toEqual([]);
    expect(after.volumes.flatMap((v) => v.findings)).toEqual([]);
    for (const { info, start } of after.volumes) if (info?.hiddenSectors) expect(info.hiddenSectors).toBe(start / 512);
  });

  it.each(Array.from({ length: 4 }, (_, i) => i + 1))('of one to twenty-four volumes, seed %i', async (seed) => {
    const random = seededRandom(seed * 15_485_863 + table.length);
    const disk = await randomDisk(table, random, 1 + Math.floor(random() * 24));
    const found = await planned(disk, random);
    if (!found || found.plan.steps.length === 0) return;
    const files = found.survey.volumes.map((v) => v.files).sort();
    const certificate = await startRun(found.plan, { disk, journal: new MemoryJournal(), now: NOW });
    expect(certificate.proven).toBe(true);
    const after = await surveyDisk(disk);
    expect(after.volumes.flatMap((v) => v.findings)).toEqual([]);
    expect(after.volumes.map((v) => v.files).sort()).toEqual(files);
  });

  it('carry little more than must be carried', () => {
    const mean = ratios.reduce((sum, r) => sum + r, 0) / ratios.length;
    console.log(`${ratios.length} plans carry ${mean.toFixed(3)} x the least`);
    expect(ratios.length).toBeGreaterThan(4);
    expect(mean).toBeLessThan(1.3);
  });
});

describe('a sector that can’t be read', () => {
  it('stops a move over its own old place while the volume is still whole', async () => {
    const fill = [{ folder: 'f', count: 6, name: '{n}.bin', smallest: '98 KiB', largest: '98 KiB' }];
    const volumes = [{ size: '20 MiB', fileSystem: 'fat16', label: 'ONE', clusterSize: 4096, fill }];
    const disk = await buildStick({ volumes });
    const before = disk.buffer.slice();
    const survey = await surveyDisk(disk);
    const now = layoutOf(survey);
    const planned = { ...now, volumes: now.volumes.map((v) => ({ ...v, start: v.start + 4 * MIB })) };
    // The last sector in use is behind the end of the last file, where no proof reads.
    const { start, allocation } = survey.volumes[0]!;
    const end = start + allocation.at(-1)!.end;
    const speed = { read: 1e9, write: 1e9, seek: 0 };
    const medium = new MediumDevice(disk, { ...speed, weak: [], dead: [{ start: end - 512, end }] });
    const run = startRun(derivePlan(survey, planned), { disk: medium, journal: new MemoryJournal(), now: NOW });
    await expect(run).rejects.toMatchObject({ code: 'device.read-failed' });
    expect(Buffer.compare(disk.buffer, before)).toBe(0);
  });
});
