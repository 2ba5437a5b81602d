/** Speed, as ratios to a plain copy and to the machine's own SHA-256 of the same bytes in the same run. */
import { SparseDevice, WindowDevice } from '@/core/device';
import { driverOf, probeFileSystem } from '@/core/fs';
import { exportRaw } from '@/core/image';
import { layoutOf, surveyDisk, type Survey } from '@/core/inspect';
import { asVolumeId, type Layout, type LaidVolume } from '@/core/layout';
import { derivePlan } from '@/core/plan';
import { buildPracticeDisk, parseRecipe, seededRandom } from '@/core/practice';
import { portableHasher, takeManifest } from '@/core/proof';
import { applyNow, MemoryJournal, startRun } from '@/core/run';
import { randomDisk, shuffledPlan } from '@/core/run/fixtures/shuffled';
import { execFileSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import {
  closeSync,
  fsyncSync,
  mkdtempSync,
  openSync,
  readSync,
  rmSync,
  statSync,
  truncateSync,
  writeFileSync,
  writeSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { FileDevice } from '@/cli/files/file-device';
import { systemFiles } from '@/cli/files/files';
import { nodeHasher } from '@/cli/node-hasher';
import { make } from '@/cli/verbs/make';
import { bandsBetween, layoutColumn, usedBy } from '@/core/report';
import { runBetween } from './between';
import { runHonest } from './honest';
import { runRetire } from './retire';
import { timed } from './timed';

const GPT = { kind: 'gpt', diskGuid: '00000000-0000-0000-0000-000000000001', entryCount: 128, entrySize: 128 } as const;
const MIB = 1024 * 1024;
const GIB = 1024 * MIB;
const box = mkdtempSync(join(tmpdir(), 'ullager-bench-'));
const say = (line: string): void => void process.stdout.write(`${line}\n`);
const now = (): string => new Date().toISOString();

const rate = (bytes: number, seconds: number): string => `${(bytes / 1e6 / seconds).toFixed(0)} MB/s`;

/** Copies `bytes` of a file to another, with the same chunk and the same final barrier as a run. */
function plainCopy(from: string, to: string, bytes: number, offset = 0): void {
  const [source, target] = [openSync(from, 'r'), openSync(to, 'w')];
  const buffer = Buffer.alloc(4 * MIB);
  for (let done = 0; done < bytes;) {
    const n = readSync(source, buffer, 0, Math.min(buffer.length, bytes - done), offset + done);
    if (n === 0) break;
    writeSync(target, buffer, 0, n);
    done += n;
  }
  fsyncSync(target);
  closeSync(source);
  closeSync(target);
}

function recipe(size: string, farMib: number, nearMib: number, fileSystem = 'fat32'): string {
  const path = join(box, `${size.replace(' ', '')}.json`);
  const fill = [
    { folder: 'near', count: Math.max(1, nearMib / 8), name: '{nnnnn}.bin', smallest: '8 MiB', largest: '8 MiB' },
    {
      folder: 'far',
      count: farMib / 8,
      name: '{nnnnn}.bin',
      smallest: '8 MiB',
      largest: '8 MiB',
      near: 0.6,
      fragments: 4,
    },
  ];
  writeFileSync(
    path,
    JSON.stringify({
      version: 1,
      id: 'bench',
      name: 'bench',
      medium: 'ssd',
      size,
      table: 'mbr',
      volumes: [{ fileSystem, label: 'BENCH', fill }],
    }),
  );
  return path;
}

async function quietly<T>(act: () => Promise<T>): Promise<T> {
  const { write } = process.stdout;
  process.stdout.write = () => true;
  try {
    return await act();
  } finally {
    process.stdout.write = write;
  }
}

function halved(survey: Survey, length: number): Layout {
  const [volume] = survey.volumes;
  const laid: LaidVolume = {
    id: asVolumeId('kept-1'),
    origin: { kind: 'kept', number: 1 },
    start: volume!.start,
    length,
    fileSystem: volume!.info!.kind,
    label: volume!.info!.label,
    role: 'data',
    active: false,
    logical: false,
    flags: [],
    type: volume!.type,
    guarded: false,
  };
  return { diskSize: survey.size, sectorSize: survey.sectorSize, table: 'mbr', volumes: [laid] };
}

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

/** A volume of very many small files as an image file. */
async function manyFiles(kind: string, count: number, path: string): Promise<void> {
  const size = 4 * GIB;
  const device = new SparseDevice(size);
  const driver = driverOf(kind)!;
  await applyNow(device, 0, [], (tx) =>
    driver.make(device, { kind, label: 'MANY', serial: 1, startLba: 0, clusterSize: 4096 }, tx),
  );
  const volume = await driver.open(device);
  await applyNow(device, 0, await volume.allocation(), async (tx) => {
    const writer = await volume.writer(tx);
    for (let i = 0; i < count; i++) {
      const folder = `folder ${Math.floor(i / 1000)}`;
      if (i % 1000 === 0) await writer.mkdir(folder);
      const content = { kind: 'bytes' as const, bytes: Uint8Array.of(i & 255, (i >> 8) & 255) };
      await writer.writeFile(`${folder}/a file of some name ${i}.txt`, content);
    }
    await writer.finish();
  });
  const file = openSync(path, 'w');
  for (const { start, end } of device.occupied())
    for (let at = start; at < end; at += 4 * MIB)
      writeSync(file, await device.bytes(at, Math.min(4 * MIB, end - at)), undefined, undefined, at);
  closeSync(file);
  truncateSync(path, size);
}

/** Reading every file's name, size and place, against readers that do the same on the same image. */
async function benchScan(kind: string): Promise<void> {
  const image = join(box, 'many.img');
  const count = 200_000;
  await manyFiles(kind, count, image);
  const reader = (command: string, args: string[]): number => {
    const started = performance.now();
    execFileSync(command, args, { maxBuffer: 1 << 30 });
    return (performance.now() - started) / 1000;
  };
  const walk = ['--import', 'tsx', 'bench/scan.ts', image, kind];
  const runs = Array.from({ length: 5 }, () => {
    // In turn, since what else the machine does changes from one second to the next.
    const own = JSON.parse(execFileSync('node', walk, { encoding: 'utf8' })) as Record<'seconds' | 'resident', number>;
    return { ...own, sevenZip: reader('7zz', ['l', image]), fls: reader('fls', ['-r', image]) };
  });
  const median = (of: (run: (typeof runs)[number]) => number): number => runs.map(of).sort((a, b) => a - b)[2]!;
  const [own, sevenZip, fls] = [median((r) => r.seconds), median((r) => r.sevenZip), median((r) => r.fls)];
  say(
    `\n${count} files on ${kind}, medians of ${runs.length}: opened and walked in ${own.toFixed(2)} s (${(median((r) => r.resident) / MIB).toFixed(0)} MiB resident); 7zz l ${sevenZip.toFixed(2)} s, ${median((r) => r.seconds / r.sevenZip).toFixed(2)} x; fls -r ${fls.toFixed(2)} s, ${median((r) => r.seconds / r.fls).toFixed(2)} x`,
  );
  rmSync(image);
}

/** A large disk of many volumes: what looking, planning and drawing cost. */
async function benchLarge(): Promise<void> {
  const kinds = ['ntfs', 'exfat', 'fat32', 'ntfs'] as const;
  const volumes = Array.from({ length: 20 }, (_, i) => ({
    size: '92 GiB',
    fileSystem: kinds[i % kinds.length]!,
    label: `VOLUME ${i + 1}`,
    fill: [
      {
        folder: 'f',
        count: 120,
        name: '{word} {nnn}.bin',
        smallest: '1 MiB',
        largest: '90 MiB',
        near: 0.7,
        fragments: 3,
      },
    ],
  }));
  const facts = { version: 1, id: 'large', name: 'large', medium: 'hdd', size: '2 TB', table: 'gpt', volumes };
  const disk = await buildPracticeDisk(parseRecipe(facts));
  let survey = await surveyDisk(disk);
  const looking = await timed(async () => void (survey = await surveyDisk(disk)));
  const now = layoutOf(survey);
  const planned = { ...now, volumes: now.volumes.map((v) => ({ ...v, length: Math.floor(v.length / 2) })) };
  const planning = await timed(() => void derivePlan(survey, planned));
  const drawing = await timed(() => {
    const column = { top: 0, height: 620, gap: 3, least: 22 };
    bandsBetween(layoutColumn(now, column), layoutColumn(planned, column), usedBy(survey), 0, 100);
  });
  say(
    `\n2 TB, 20 volumes: looked at in ${looking.toFixed(2)} s, planned in ${(planning * 1000).toFixed(0)} ms, drawn in ${(drawing * 1000).toFixed(0)} ms`,
  );
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

async function benchMany(): Promise<void> {
  const count = 100;
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
  const layout: Layout = { diskSize: 2 * MIB + count * size, sectorSize: 512, table: 'none', volumes };
  const base = await surveyDisk(new SparseDevice(layout.diskSize - (layout.diskSize % 512)));
  const survey: Survey = {
    ...base,
    volumes: volumes.map((v, i) => ({
      number: i + 1,
      start: v.start,
      length: v.length,
      slot: undefined,
      active: false,
      type: 12,
      logical: false,
      typeGuid: undefined,
      guid: undefined,
      name: undefined,
      flags: [],
      role: 'data' as const,
      info: {
        kind: 'fat32',
        title: 'FAT32',
        label: v.label,
        serial: '',
        clusterSize: 4096,
        size,
        used: GIB,
        free: 3 * GIB,
      },
      limits: { floor: { bytes: GIB, reason: '', holds: [] }, ceiling: { bytes: 8 * GIB, reason: '' } },
      abilities: { check: true, shrink: true, grow: true, make: true, relabel: true, write: true, mark: true },
      allocation: [{ start: 0, end: GIB }],
      files: 100,
      findings: [],
      recognised: undefined,
      fault: undefined,
      seen: undefined,
    })),
  };
  const planned: Layout = { ...layout, volumes: volumes.map((v) => ({ ...v, length: 2 * GIB })) };
  const repeats = 50;
  const guidOfNumber = ({ start }: { start: number }): string =>
    `${start.toString(16).padStart(8, '0').slice(-8)}-0000-0000-0000-000000000001`.toUpperCase();
  const gpt: Survey = {
    ...survey,
    table: 'gpt',
    partitions: { ...GPT, entries: [] },
    volumes: survey.volumes.map((v, slot) => ({ ...v, slot, guid: guidOfNumber(v) })),
  };
  const moved: Layout = {
    ...planned,
    table: 'gpt',
    volumes: planned.volumes.map((v) => ({ ...v, start: v.start + GIB, guid: guidOfNumber(v) })),
  };
  const planning =
    (await timed(() => {
      for (let i = 0; i < repeats; i++) derivePlan(survey, planned);
    })) / repeats;
  const drawing =
    (await timed(() => {
      for (let i = 0; i < repeats; i++) {
        const column = { top: 0, height: 1500, gap: 3, least: 22 };
        bandsBetween(layoutColumn(layout, column), layoutColumn(planned, column), usedBy(survey), 0, 100);
      }
    })) / repeats;
  const moving =
    (await timed(() => {
      for (let i = 0; i < repeats; i++) derivePlan(gpt, moved);
    })) / repeats;
  say(`\n${count} volumes, every one shrunk and moved: planning ${(moving * 1000).toFixed(2)} ms`);
  say(
    `${count} volumes: planning ${(planning * 1000).toFixed(2)} ms, column geometry and bands ${(drawing * 1000).toFixed(2)} ms`,
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
  say('');
  await runHonest(box, say);
} finally {
  rmSync(box, { recursive: true, force: true });
}
