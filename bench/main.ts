/** Speed, as ratios to a plain copy and to the machine's own SHA-256 of the same bytes in the same run. */
import { WindowDevice } from '@/core/device';
import { probeFileSystem } from '@/core/fs';
import { exportRaw } from '@/core/image';
import { surveyDisk } from '@/core/inspect';
import { derivePlan } from '@/core/plan';
import { buildPracticeDisk, parseRecipe, seededRandom } from '@/core/practice';
import { portableHasher, takeManifest } from '@/core/proof';
import { MemoryJournal, startRun } from '@/core/run';
import { randomDisk, shuffledPlan } from '@/core/run/fixtures/shuffled';
import { createHash } from 'node:crypto';
import { closeSync, fsyncSync, openSync, rmSync, statSync, writeFileSync, writeSync } from 'node:fs';
import { join } from 'node:path';
import { FileDevice } from '@/cli/files/file-device';
import { systemFiles } from '@/cli/files/files';
import { nodeHasher } from '@/cli/node-hasher';
import { make } from '@/cli/verbs/make';
import { runBetween } from './between';
import { runHonest } from './honest';
import { benchMerge } from './merge';
import { runRetire } from './retire';
import { timed } from './timed';
import { MIB, box, say, now, rate, plainCopy, recipe, quietly, halved } from './common';
import { benchMany } from './planning';
import { benchLarge, benchScan } from './volumes';

async function benchFile(size: string, farMib: number, nearMib: number, fileSystem: string): Promise<void> {
  const image = join(box, 'bench.img');
  await quietly(() => make(recipe(size, farMib, nearMib, fileSystem), { out: image }));
  const disk = await FileDevice.open(systemFiles, image, 512);
  const survey = await surveyDisk(disk);
  const volume = survey.volumes[0]!;
  const window = new WindowDevice(disk, volume.start, volume.length);
  const opened = await (await probeFileSystem(window))!.driver.open(window);
  const content = farMib * MIB + nearMib * MIB;
  say(`\n${size} image of ${fileSystem}, ${farMib + nearMib} MiB of files, ${farMib} MiB past the middle`);

  const manifest = async (hasher: typeof nodeHasher): Promise<void> => {
    for await (const entry of takeManifest(opened, window, { hasher, alwaysBytes: true })) void entry;
  };
  const read = await timed(() => manifest(() => ({ update: () => undefined, digest: () => '' })));
  const native = await timed(() => manifest(nodeHasher));
  const portable = await timed(() => manifest(portableHasher));
  const bytes = await disk.bytes(0, 64 * MIB);
  const pure = (await timed(() => createHash('sha256').update(bytes).digest())) * (content / bytes.length);
  say(
    `manifest, native hash    ${rate(content, native)}   ${(native / pure).toFixed(2)} x the time of Node's SHA-256 alone`,
  );
  say(
    `manifest, portable hash  ${rate(content, portable)}   ${(portable / pure).toFixed(2)} x the time of Node's SHA-256 alone`,
  );
  say(`manifest, reading only   ${rate(content, read)}`);

  const half = Math.floor(volume.length / 2 / MIB) * MIB;
  const plan = derivePlan(survey, halved(survey, half));
  const shrink = { ...plan, steps: plan.steps.filter((s) => s.kind === 'shrink') };
  const carried = shrink.steps[0]!.cost.carries;
  await disk.flush();
  const seconds = await timed(() => startRun(shrink, { disk, journal: new MemoryJournal(), now }));
  const copy = await timed(() => plainCopy(image, join(box, 'copy.bin'), carried, volume.start + half));
  rmSync(join(box, 'copy.bin'));
  say(
    `shrink with relocation   ${rate(carried, seconds)} of ${Math.round(carried / MIB)} MiB   ${(seconds / copy).toFixed(2)} x the time of a plain copy of the same bytes`,
  );
  await disk.close();
  rmSync(image);
}

async function benchExport(): Promise<void> {
  const image = join(box, 'export.img');
  await quietly(() => make(recipe('1 GiB', 400, 200), { out: image }));
  const disk = await FileDevice.open(systemFiles, image, 512);
  const size = statSync(image).size;
  const target = openSync(join(box, 'exported.img'), 'w');
  const seconds = await timed(async () => {
    for await (const chunk of exportRaw(disk)) writeSync(target, chunk);
    fsyncSync(target);
  });
  closeSync(target);
  const copy = await timed(() => plainCopy(image, join(box, 'copied.img'), size));
  say(`\nexport                   ${rate(size, seconds)}   ${(seconds / copy).toFixed(2)} x the time of a plain copy`);
  await disk.close();
}

async function benchMemory(): Promise<void> {
  say('\nmemory while surveying, planning and running a division (files in use: 384 MiB)');
  for (const size of ['1 GiB', '32 GiB']) {
    const disk = await buildPracticeDisk(
      parseRecipe(JSON.parse((await import('node:fs')).readFileSync(recipe(size, 192, 192), 'utf8'))),
    );
    globalThis.gc?.();
    const before = process.memoryUsage();
    const survey = await surveyDisk(disk);
    const plan = derivePlan(survey, halved(survey, Math.floor(survey.volumes[0]!.length / 2 / MIB) * MIB));
    await startRun(plan, { disk, journal: new MemoryJournal(), now });
    const after = process.memoryUsage();
    const grown = after.heapUsed + after.external - before.heapUsed - before.external;
    say(`${size.padEnd(8)} ${(grown / MIB).toFixed(0)} MiB more in use, ${(after.rss / MIB).toFixed(0)} MiB resident`);
  }
}

/** What random plans carry against the least that any could. */
async function benchCarried(): Promise<void> {
  const ratios: number[] = [];
  for (const table of ['gpt', 'mbr'] as const)
    for (let seed = 1; seed <= 60; seed++) {
      const random = seededRandom(seed * 104_729 + table.length);
      const plan = (await shuffledPlan(await randomDisk(table, random), random))?.plan;
      if (plan && plan.leastCarried > 0) ratios.push(plan.total.carries / plan.leastCarried);
    }
  const mean = ratios.reduce((sum, r) => sum + r, 0) / ratios.length;
  say(
    `\n${ratios.length} random plans carry ${mean.toFixed(3)} x the least on average, ${Math.max(...ratios).toFixed(2)} x at most`,
  );
}

async function benchBetween(): Promise<void> {
  const image = join(box, 'between.img');
  const fill = [{ folder: 'f', count: 300, name: 'f{nnn}.bin', smallest: '1 MiB', largest: '5 MiB' }];
  const volumes = [{ size: 'rest', fileSystem: 'ntfs', label: 'OLD', fill }];
  const facts = { version: 1, id: 'between', name: 'between', medium: 'ssd', size: '1500 MiB', table: 'mbr', volumes };
  writeFileSync(join(box, 'between.json'), JSON.stringify(facts));
  await quietly(() => make(join(box, 'between.json'), { out: image }));
  const results = await runBetween(image, box);
  const { bytes } = results[0]!;
  const plain = await timed(() => plainCopy(image, join(box, 'between-plain.img'), bytes, 2 * MIB));
  say(`\nBetween disks: plain copy of ${(bytes / 1e6).toFixed(0)} MB ${plain.toFixed(2)} s (${rate(bytes, plain)})`);
  for (const { name, bytes: own, seconds } of results)
    say(
      `${name}: ${seconds.toFixed(2)} s (${rate(own, seconds)}), ${(plain / bytes / (seconds / own)).toFixed(2)} of a plain copy`,
    );
}

/** A whole disk read, searched and wiped. */
async function benchRetire(): Promise<void> {
  const recipe = join(box, 'retire.json');
  const fill = [{ folder: 'a', count: 200, name: '{n}.bin', smallest: '4 MiB', largest: '5 MiB' }];
  const volumes = [{ fileSystem: 'ntfs', label: 'OLD', fill }];
  const image = join(box, 'retire.img');
  writeFileSync(
    recipe,
    JSON.stringify({ version: 1, id: 'r', name: 'r', medium: 'hdd', size: '2 GiB', table: 'mbr', volumes }),
  );
  await make(recipe, { out: image });
  say('\nA whole disk:');
  for (const { name, bytes, seconds, plain } of await runRetire(image, box))
    say(
      `${name}: ${seconds.toFixed(2)} s (${rate(bytes, seconds)}), ${(plain / seconds).toFixed(2)} of the plain speed`,
    );
}

try {
  for (const kind of ['fat32', 'ext4']) await benchFile('3 GiB', 768, 512, kind);
  // Before what leaves large disks behind in this process.
  await benchMemory();
  for (const kind of ['ntfs', 'ext4']) await benchScan(kind);
  await benchExport();
  await benchLarge();
  await benchMany();
  await benchCarried();
  await benchBetween();
  await benchRetire();
  say('\nMerged where everything lies:');
  for (const kind of ['ntfs', 'exfat', 'ext4']) await benchMerge(kind);
  say('');
  await runHonest(box, say);
} finally {
  rmSync(box, { recursive: true, force: true });
}
