/** How far what was expected of a run was from what it took: before it, at a quarter and at half, over demo disks and image files. */
import { FileDevice } from '@/cli/files/file-device';
import { systemFiles } from '@/cli/files/files';
import { nodeHasher } from '@/cli/node-hasher';
import { make } from '@/cli/verbs/make';
import { OverlayDevice, type BlockDevice } from '@/core/device';
import { proposeGoal } from '@/core/goal';
import { boundsOf, layoutOf, surveyDisk } from '@/core/inspect';
import {
  derivePlan,
  expectedSeconds,
  paceOf,
  secondsLeft,
  USUAL_PACE,
  type Course,
  type Ground,
  type Pace,
} from '@/core/plan';
import { buildPracticeDisk, parseRecipe } from '@/core/practice';
import { MemoryJournal, startRun } from '@/core/run';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { box, quietly } from './common';
import { figure, median, short } from './figures';

const DEMOS = ['label-printer-stick', 'front-desk-ssd', 'glasshouse-card', 'orchid-camera-card', 'herbarium-scans'];
const IMAGES = [
  ['fat32', '2 GiB'],
  ['ntfs', '2 GiB'],
  ['ext4', '2 GiB'],
] as const;
/** Shares of a run at which it is asked how long it goes on, and by how much of it that may be off. */
const ASKED = [
  { share: 0, when: 'before', wanted: 25 },
  { share: 0.25, when: 'at a quarter', wanted: 10 },
  { share: 0.5, when: 'at half', wanted: 5 },
] as const;

interface Told {
  readonly name: string;
  readonly seconds: number;
  /** Off by so much of what it took: before, and at each of the shares. */
  readonly off: readonly number[];
}

/** Runs what makes a system and a data volume of a disk, and compares. Returns what it taught about the machine. */
async function told(name: string, disk: BlockDevice, ground: Ground, pace: Pace): Promise<{ told: Told; pace: Pace }> {
  const survey = await surveyDisk(disk);
  const proposal = proposeGoal('system-data', survey, layoutOf(survey), boundsOf(survey));
  if (!proposal.ok) throw new Error(proposal.reason);
  const plan = derivePlan(survey, proposal.layout);
  let course: Course = { plan, step: 0, began: 0, done: 0, total: 0, took: [], stepStartedAt: 0, ground };
  const asked: { readonly at: number; readonly left: number }[] = [];
  const begun = performance.now();
  const now = (): number => performance.now() - begun;
  await startRun(plan, {
    disk: await OverlayDevice.open(disk),
    journal: new MemoryJournal(),
    hasher: nodeHasher,
    now: () => new Date().toISOString(),
    progress: ({ step, done, total, state }) => {
      const at = now();
      const took = state === 'done' ? [...course.took, (at - course.stepStartedAt) / 1000] : course.took;
      course = { ...course, step, done, total, took, ...(state === 'done' ? { stepStartedAt: at } : {}) };
      asked.push({ at: at / 1000, left: secondsLeft(course, pace, at) });
    },
  });
  const seconds = now() / 1000;
  const later = ASKED.slice(1).map(({ share }) => {
    const { at, left } = asked.find((a) => a.at >= share * seconds) ?? asked.at(-1)!;
    return Math.abs(at + left - seconds) / seconds;
  });
  const off = [Math.abs(expectedSeconds(plan, pace, ground) - seconds) / seconds, ...later];
  return { told: { name, seconds, off }, pace: paceOf(course, pace) };
}

async function demoDisk(name: string): Promise<BlockDevice> {
  return buildPracticeDisk(parseRecipe(JSON.parse(readFileSync(`demo/${name}.json`, 'utf8'))));
}

const imageIn = (fileSystem: string): string => join(box, `honest-${fileSystem}.img`);
const openImage = (fileSystem: string): Promise<BlockDevice> => FileDevice.open(systemFiles, imageIn(fileSystem), 512);

async function makeImage(fileSystem: string, size: string): Promise<void> {
  const fill = [{ folder: 'files', count: 300, name: '{nnnn}.bin', smallest: '1 MiB', largest: '4 MiB', fragments: 2 }];
  const volumes = [{ fileSystem, label: 'BENCH', fill }];
  const recipe = join(box, `honest-${fileSystem}.json`);
  const disk = { version: 1, id: `honest-${fileSystem}`, name: 'bench', medium: 'ssd', size, table: 'gpt', volumes };
  writeFileSync(recipe, JSON.stringify(disk));
  await quietly(() => make(recipe, { out: imageIn(fileSystem) }));
}

export async function benchHonest(): Promise<void> {
  for (const [kind, size] of IMAGES) await makeImage(kind, size);
  const disks: (readonly [string, Ground, () => Promise<BlockDevice>])[] = [
    ...DEMOS.map((name) => [name, 'references', () => demoDisk(name)] as const),
    ...IMAGES.map(([kind, size]) => [`${kind} image of ${size}`, 'bytes', () => openImage(kind)] as const),
  ];
  for (const round of ['never run here before', 'after runs on this machine'] as const) {
    const later = round !== 'never run here before';
    let pace = USUAL_PACE;
    const all: Told[] = [];
    // One of either ground teaches it.
    for (const [, ground, open] of later ? [disks[1]!, disks.at(-2)!] : [])
      ({ pace } = await told('', await open(), ground, pace));
    for (const [name, ground, open] of disks) {
      const one = await told(name, await open(), ground, pace);
      all.push(one.told);
      if (later) ({ pace } = one);
    }
    for (const [i, { when, wanted }] of ASKED.entries())
      figure({
        area: 'Expected time',
        what: `off by, ${when}, median of ${all.length} runs, ${round}`,
        value: 100 * median(all.map((one) => one.off[i]!)),
        unit: '%',
        better: 'less',
        wanted,
        beside: all
          .map(({ name, seconds, off }) => `${name} ${(100 * off[i]!).toFixed(0)} % of ${short(seconds)}`)
          .join(', '),
      });
  }
}
