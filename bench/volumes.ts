/** Volumes with many files, and large ones, read and listed. */
import { SparseDevice } from '@/core/device';
import { driverOf } from '@/core/fs';
import { layoutOf, surveyDisk } from '@/core/inspect';
import { derivePlan } from '@/core/plan';
import { buildPracticeDisk, parseRecipe } from '@/core/practice';
import { applyNow } from '@/core/run';
import { execFileSync } from 'node:child_process';
import { closeSync, openSync, rmSync, truncateSync, writeSync } from 'node:fs';
import { join } from 'node:path';
import { bandsBetween, layoutColumn, usedBy } from '@/core/report';
import { timed } from './timed';
import { MIB, GIB, box, say } from './common';

/** A volume of very many small files as an image file. */
export async function manyFiles(kind: string, count: number, path: string): Promise<void> {
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
export async function benchScan(kind: string): Promise<void> {
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
export async function benchLarge(): Promise<void> {
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
