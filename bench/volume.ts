/** One volume of large files: read and hashed, made smaller, moved onto part of itself; and its image written out. */
import { FileDevice } from '@/cli/files/file-device';
import { systemFiles } from '@/cli/files/files';
import { writeRaw } from '@/cli/files/write-image';
import { nodeHasher } from '@/cli/node-hasher';
import { make } from '@/cli/verbs/make';
import { MeteredDevice, WindowDevice } from '@/core/device';
import { probeFileSystem } from '@/core/fs';
import { layoutOf, surveyDisk, type Survey } from '@/core/inspect';
import type { Layout } from '@/core/layout';
import { derivePlan, type Step } from '@/core/plan';
import { portableHasher, takeManifest, type HasherFactory } from '@/core/proof';
import { MemoryJournal, startRun } from '@/core/run';
import { webcrypto } from 'node:crypto';
import { rmSync, statSync } from 'node:fs';
import { availableParallelism } from 'node:os';
import { join } from 'node:path';
import { box, halved, MIB, now, plainCopy, quietly, rate, recipe } from './common';
import { figure, growth, type Point } from './figures';
import { timed } from './timed';

const NOTHING: HasherFactory = () => ({ update: () => undefined, digest: () => '' });

/** Seconds that the machine's own SHA-256 takes for as many bytes on all cores, at the best of some tries. */
async function hashedAlone(bytes: Uint8Array<ArrayBuffer>, content: number): Promise<number> {
  const cores = availableParallelism();
  const all = (): Promise<unknown> =>
    Promise.all(Array.from({ length: cores }, () => webcrypto.subtle.digest('SHA-256', bytes)));
  const tries: number[] = [];
  for (let i = 0; i < 5; i++) tries.push(await timed(all));
  return Math.min(...tries) * (content / (cores * bytes.length));
}

/** Reading and hashing every file, against the machine's own SHA-256 of as many bytes on as many cores. */
async function benchProof(disk: FileDevice, survey: Survey, what: string, content: number): Promise<void> {
  const volume = survey.volumes[0]!;
  const window = new WindowDevice(disk, volume.start, volume.length);
  const opened = await (await probeFileSystem(window))!.driver.open(window);
  const taken = (hasher: HasherFactory): Promise<number> =>
    timed(async () => {
      for await (const entry of takeManifest(opened, window, { hasher, alwaysBytes: true })) void entry;
    });
  const read = await taken(NOTHING);
  const native = await taken(nodeHasher);
  const portable = await taken(portableHasher);
  const bytes = new Uint8Array(await disk.bytes(0, 64 * MIB));
  const alone = await hashedAlone(bytes, content);
  const against = `${what}: every file read and hashed, of the speed of SHA-256 on all cores`;
  const shared = { area: 'Proof', unit: 'x', better: 'more' } as const;
  const beside = (seconds: number): string => `${rate(content, seconds)}; SHA-256 alone ${rate(content, alone)}`;
  figure({ ...shared, what: `${against}, in the runner`, value: alone / native, wanted: 0.9, beside: beside(native) });
  figure({ ...shared, what: `${against}, by the portable hash`, value: alone / portable, beside: beside(portable) });
  figure({
    ...shared,
    what: `${what}: read only, of the speed of SHA-256 on all cores`,
    value: alone / read,
    beside: beside(read),
  });
}

interface StepTime {
  readonly carried: number;
  readonly seconds: number;
  readonly flushes: number;
}

/** Runs the steps of one kind of a plan, without the proof before and after. */
async function benchStep(file: FileDevice, survey: Survey, planned: Layout, kind: Step['kind']): Promise<StepTime> {
  const whole = derivePlan(survey, planned);
  const plan = { ...whole, steps: whole.steps.filter((step) => step.kind === kind) };
  const disk = new MeteredDevice(file);
  await disk.flush();
  disk.take();
  const seconds = await timed(() => startRun(plan, { disk, journal: new MemoryJournal(), now }));
  return { carried: plan.steps.reduce((sum, step) => sum + step.cost.carries, 0), seconds, ...disk.take() };
}

/** Tells of a step against a plain copy of as many bytes of the same image. */
async function tellStep(what: string, image: string, from: number, wanted: number, step: StepTime): Promise<void> {
  const { carried, seconds, flushes } = step;
  const to = join(box, 'copy.bin');
  const copy = await timed(() => plainCopy(image, to, carried, from));
  rmSync(to);
  figure({
    area: 'Run',
    what: `${what}, of the speed of a plain copy`,
    value: copy / seconds,
    unit: 'x',
    better: 'more',
    wanted,
    beside: `${Math.round(carried / MIB)} MiB in ${seconds.toFixed(2)} s, ${flushes} barriers; plain copy ${copy.toFixed(2)} s`,
  });
}

const open = (image: string): Promise<FileDevice> => FileDevice.open(systemFiles, image, 512);

/** Proof, shrinking with what has to be carried for it, and a move onto a part of the place where the volume is. */
export async function benchVolume(fileSystem: string): Promise<void> {
  const [far, near] = [768, 512];
  const image = join(box, 'bench.img');
  await quietly(() => make(recipe('3 GiB', far, near, fileSystem), { out: image }));
  const disk = await open(image);
  const survey = await surveyDisk(disk);
  const volume = survey.volumes[0]!;
  await benchProof(disk, survey, `${far + near} MiB on ${fileSystem}`, (far + near) * MIB);
  const half = Math.floor(volume.length / 2 / MIB) * MIB;
  const shrunk = await benchStep(disk, survey, halved(survey, half), 'shrink');
  await tellStep(`${fileSystem} made smaller by half`, image, volume.start + half, 0.95, shrunk);
  await disk.close();
  rmSync(image);
  await benchMove(fileSystem);
}

/** Onto a part of where it was: piece by piece, each durable before the next. */
async function benchMove(fileSystem: string): Promise<void> {
  const image = join(box, 'move.img');
  await quietly(() => make(recipe('2600 MiB', 256, 768, fileSystem, '2200 MiB'), { out: image }));
  const disk = await open(image);
  const survey = await surveyDisk(disk);
  const now = layoutOf(survey);
  const moved = { ...now, volumes: now.volumes.map((v) => ({ ...v, start: v.start + 256 * MIB })) };
  const carried = await benchStep(disk, survey, moved, 'carry');
  await tellStep(`${fileSystem} moved by 256 MiB, onto itself`, image, now.volumes[0]!.start, 0.85, carried);
  await disk.close();
  rmSync(image);
}

/** How shrinking and proving grow with the bytes there are. */
export async function benchVolumeGrowth(): Promise<void> {
  const [proofs, shrinks]: [Point[], Point[]] = [[], []];
  for (const far of [64, 256, 1024]) {
    const image = join(box, 'growing.img');
    await quietly(() => make(recipe('4 GiB', far, 8, 'ntfs'), { out: image }));
    const disk = await open(image);
    const survey = await surveyDisk(disk);
    const { start, length } = survey.volumes[0]!;
    const window = new WindowDevice(disk, start, length);
    const volume = await (await probeFileSystem(window))!.driver.open(window);
    const proof = await timed(async () => {
      for await (const entry of takeManifest(volume, window, { hasher: nodeHasher, alwaysBytes: true })) void entry;
    });
    const half = Math.floor(length / 2 / MIB) * MIB;
    const { carried, seconds } = await benchStep(disk, survey, halved(survey, half), 'shrink');
    proofs.push({ size: far + 8, seconds: proof });
    shrinks.push({ size: Math.round(carried / MIB), seconds });
    await disk.close();
    rmSync(image);
  }
  growth('Proof', 'every file read and hashed, NTFS', proofs, 'MiB of files');
  growth('Run', 'made smaller, NTFS', shrinks, 'MiB carried');
}

/** Writing an image out as it is. */
export async function benchExport(): Promise<void> {
  const image = join(box, 'export.img');
  await quietly(() => make(recipe('1 GiB', 400, 200), { out: image }));
  const disk = await open(image);
  const { size } = statSync(image);
  const out = join(box, 'exported.img');
  const seconds = await timed(async () => {
    const target = await systemFiles.open(out, 'create');
    await writeRaw(disk, target);
    await target.sync();
    await target.close();
  });
  const copied = join(box, 'copied.img');
  const copy = await timed(() => plainCopy(image, copied, size));
  await disk.close();
  for (const path of [image, out, copied]) rmSync(path);
  figure({
    area: 'Export',
    what: 'raw, in the runner, of the speed of a plain copy',
    value: copy / seconds,
    unit: 'x',
    better: 'more',
    wanted: 0.9,
    beside: `${rate(size, seconds)}; plain copy ${rate(size, copy)}`,
  });
}
