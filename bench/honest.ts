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

const DEMOS = ['label-printer-stick', 'front-desk-ssd', 'glasshouse-card', 'orchid-camera-card', 'herbarium-scans'];
const IMAGES = [
  ['fat32', '2 GiB'],
  ['ntfs', '2 GiB'],
  ['ext4', '2 GiB'],
] as const;
/** Shares of a run at which it is asked how long it goes on. */
const ASKED = [0.25, 0.5];

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
  const later = ASKED.map((share) => {
    const { at, left } = asked.find((a) => a.at >= share * seconds) ?? asked.at(-1)!;
    return Math.abs(at + left - seconds) / seconds;
  });
  const off = [Math.abs(expectedSeconds(plan, pace, ground) - seconds) / seconds, ...later];
  return { told: { name, seconds, off }, pace: paceOf(course, pace) };
}

async function demoDisk(name: string): Promise<BlockDevice> {
  return buildPracticeDisk(parseRecipe(JSON.parse(readFileSync(`demo/${name}.json`, 'utf8'))));
}

const imageIn = (box: string, fileSystem: string): string => join(box, `honest-${fileSystem}.img`);
const openImage = (box: string, fileSystem: string): Promise<BlockDevice> =>
  FileDevice.open(systemFiles, imageIn(box, fileSystem), 512);

async function makeImage(box: string, fileSystem: string, size: string): Promise<void> {
  const fill = [{ folder: 'files', count: 300, name: '{nnnn}.bin', smallest: '1 MiB', largest: '4 MiB', fragments: 2 }];
  const volumes = [{ fileSystem, label: 'BENCH', fill }];
  const recipe = join(box, `honest-${fileSystem}.json`);
  const disk = { version: 1, id: `honest-${fileSystem}`, name: 'bench', medium: 'ssd', size, table: 'gpt', volumes };
  writeFileSync(recipe, JSON.stringify(disk));
  const { write } = process.stdout;
  process.stdout.write = () => true;
  await make(recipe, { out: imageIn(box, fileSystem) }).finally(() => (process.stdout.write = write));
}

const median = (values: readonly number[]): number => [...values].sort((a, b) => a - b)[Math.floor(values.length / 2)]!;
const percent = (n: number): string => `${(n * 100).toFixed(0)} %`.padStart(6);

export async function runHonest(box: string, say: (line: string) => void): Promise<void> {
  for (const [kind, size] of IMAGES) await makeImage(box, kind, size);
  const disks: (readonly [string, Ground, () => Promise<BlockDevice>])[] = [
    ...DEMOS.map((name) => [name, 'references', () => demoDisk(name)] as const),
    ...IMAGES.map(([kind, size]) => [`${kind} image of ${size}`, 'bytes', () => openImage(box, kind)] as const),
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
    say(`expected against taken, ${round}: off by, before, at a quarter, at half`);
    for (const { name, seconds, off } of all)
      say(`  ${name.padEnd(24)} ${seconds.toFixed(2).padStart(7)} s ${off.map(percent).join(' ')}`);
    say(`  ${'median'.padEnd(34)} ${[0, 1, 2].map((i) => percent(median(all.map((t) => t.off[i]!)))).join(' ')}`);
  }
}
