/** How planning and drawing grow with the number of volumes. */
import { SparseDevice } from '@/core/device';
import { abilitiesOf } from '@/core/fs';
import { layoutOf, surveyDisk, type Survey } from '@/core/inspect';
import { asVolumeId, type Layout, type LaidVolume } from '@/core/layout';
import { derivePlan } from '@/core/plan';
import { buildPracticeDisk, parseRecipe, seededRandom } from '@/core/practice';
import { bandsBetween, layoutColumn, usedBy } from '@/core/report';
import { randomDisk, shuffledPlan } from '@/core/run/fixtures/shuffled';
import { GPT, GIB, MIB } from './common';
import { figure, growth, type Point } from './figures';
import { timed } from './timed';

const COUNTS = [10, 100, 1000];
const guidOfNumber = ({ start }: { start: number }): string =>
  `${start.toString(16).padStart(8, '0').slice(-8)}-0000-0000-0000-${start.toString(16).padStart(12, '0').slice(0, 12)}`.toUpperCase();

/** A disk with so many volumes of 4 GiB, a quarter of each in use; nothing is behind it. */
async function diskOf(count: number): Promise<{ readonly survey: Survey; readonly layout: Layout }> {
  const size = 4 * GIB;
  const volumes = Array.from({ length: count }, (_, i): LaidVolume => ({
    id: asVolumeId(`kept-${i + 1}`),
    origin: { kind: 'kept', number: i + 1 },
    start: MIB + i * size,
    length: size,
    fileSystem: 'fat32',
    label: `V${i}`,
    role: 'data',
    active: false,
    logical: false,
    flags: [],
    type: 12,
    guarded: false,
  }));
  const diskSize = 2 * MIB + count * size;
  const base = await surveyDisk(new SparseDevice(diskSize));
  const info = { kind: 'fat32', title: 'FAT32', serial: '', clusterSize: 4096, size, used: GIB, free: 3 * GIB };
  const survey: Survey = {
    ...base,
    table: 'gpt',
    partitions: { ...GPT, entryCount: Math.max(128, count), entries: [] },
    volumes: volumes.map((v, i) => ({
      number: i + 1,
      start: v.start,
      length: v.length,
      slot: i,
      active: false,
      type: 12,
      logical: false,
      typeGuid: undefined,
      guid: guidOfNumber(v),
      name: undefined,
      flags: [],
      role: 'data' as const,
      info: { ...info, label: v.label },
      limits: { floor: { bytes: GIB, reason: '', holds: [] }, ceiling: { bytes: 8 * GIB, reason: '' } },
      abilities: abilitiesOf('fat32'),
      allocation: [{ start: 0, end: GIB }],
      files: 100,
      findings: [],
      recognised: undefined,
      fault: undefined,
      seen: undefined,
    })),
  };
  return { survey, layout: { diskSize, sectorSize: 512, table: 'gpt', volumes } };
}

/** Every volume shrunk, or shrunk and moved; and both columns drawn with what runs between them. */
export async function benchPlanning(): Promise<void> {
  const points: Record<'shrunk' | 'moved' | 'drawn', Point[]> = { shrunk: [], moved: [], drawn: [] };
  for (const count of COUNTS) {
    const { survey, layout } = await diskOf(count);
    const volumes = layout.volumes.map((v) => ({ ...v, length: 2 * GIB, guid: guidOfNumber(v) }));
    const shrunk: Layout = { ...layout, volumes };
    const moved: Layout = { ...layout, volumes: volumes.map((v) => ({ ...v, start: v.start + GIB })) };
    const column = { top: 0, height: 1500, gap: 3, least: 22 };
    const repeats = 2000 / count;
    const each = async (act: () => unknown): Promise<Point> => {
      act();
      const seconds = await timed(() => {
        for (let i = 0; i < repeats; i++) act();
      });
      return { size: count, seconds: seconds / repeats };
    };
    points.shrunk.push(await each(() => derivePlan(survey, shrunk)));
    points.moved.push(await each(() => derivePlan(survey, moved)));
    const used = usedBy(survey);
    points.drawn.push(
      await each(() => bandsBetween(layoutColumn(layout, column), layoutColumn(moved, column), used, used, 0, 100)),
    );
  }
  growth('Planning', 'every volume made smaller', points.shrunk, 'volumes');
  growth('Planning', 'every volume made smaller and moved', points.moved, 'volumes');
  growth('Planning', 'both columns drawn', points.drawn, 'volumes');
}

/** A large disk of many volumes: what looking, planning and drawing cost. */
export async function benchLarge(): Promise<void> {
  const kinds = ['ntfs', 'exfat', 'fat32', 'ntfs'] as const;
  const files = { count: 120, name: '{word} {nnn}.bin', smallest: '1 MiB', largest: '90 MiB', near: 0.7, fragments: 3 };
  const volumes = Array.from({ length: 20 }, (_, i) => ({
    size: '92 GiB',
    fileSystem: kinds[i % kinds.length]!,
    label: `VOLUME ${i + 1}`,
    fill: [{ folder: 'f', ...files }],
  }));
  const facts = { version: 1, id: 'large', name: 'large', medium: 'hdd', size: '2 TB', table: 'gpt', volumes };
  const disk = await buildPracticeDisk(parseRecipe(facts));
  let survey = await surveyDisk(disk);
  const looking = await timed(async () => void (survey = await surveyDisk(disk)));
  const now = layoutOf(survey);
  const planned = { ...now, volumes: now.volumes.map((v) => ({ ...v, length: Math.floor(v.length / 2) })) };
  const planning = await timed(() => void derivePlan(survey, planned));
  const shared = { area: 'Planning', better: 'less' } as const;
  figure({ ...shared, what: '2 TB practice disk of 20 volumes looked at', value: looking, unit: 's' });
  figure({ ...shared, what: '2 TB practice disk of 20 volumes planned', value: planning * 1000, unit: 'ms' });
}

/** What random plans carry against the least that any could. */
export async function benchCarried(): Promise<void> {
  const ratios: number[] = [];
  for (const table of ['gpt', 'mbr'] as const)
    for (let seed = 1; seed <= 60; seed++) {
      const random = seededRandom(seed * 104_729 + table.length);
      const plan = (await shuffledPlan(await randomDisk(table, random), random))?.plan;
      if (plan && plan.leastCarried > 0) ratios.push(plan.total.carries / plan.leastCarried);
    }
  figure({
    area: 'Planning',
    what: 'random plans, bytes carried of the least that any could',
    value: ratios.reduce((sum, r) => sum + r, 0) / ratios.length,
    unit: 'x',
    better: 'less',
    beside: `${ratios.length} plans, ${Math.max(...ratios).toFixed(2)} x at most`,
  });
}
