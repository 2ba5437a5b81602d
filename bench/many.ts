/** Volumes with many small files: opened, walked and checked, against independent readers of the same image. */
import { SparseDevice } from '@/core/device';
import { driverOf } from '@/core/fs';
import { applyNow } from '@/core/run';
import { execFileSync, spawnSync } from 'node:child_process';
import { closeSync, openSync, rmSync, truncateSync, writeSync } from 'node:fs';
import { join } from 'node:path';
import { box, GIB, MIB } from './common';
import { figure, growth, median, type Point } from './figures';
import type { Scanned } from './scan';

const COUNTS = [20_000, 60_000, 200_000];
const ROUNDS = 3;
const READERS = [
  ['7zz', 'l'],
  ['fls', '-r'],
];

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
      await writer.writeFile(`${folder}/${nameOf(i)}`, content);
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

const nameOf = (i: number): string => `a file of some name ${i}.txt`;

/** Seconds that an independent reader takes to list everything, to the last name; nothing where it doesn't read this kind. */
function reader(command: string, args: string[], last: string): number | undefined {
  const started = performance.now();
  const { status, stdout } = spawnSync(command, args, { maxBuffer: 1 << 30, stdio: ['ignore', 'pipe', 'ignore'] });
  const seconds = (performance.now() - started) / 1000;
  return status === 0 && stdout.includes(last) ? seconds : undefined;
}

const own = (image: string, kind: string): Scanned =>
  JSON.parse(execFileSync('node', ['--import', 'tsx', 'bench/scan.ts', image, kind], { encoding: 'utf8' })) as Scanned;

/** Reading every file's name, size and place, and checking, at three sizes; the largest against other readers. */
export async function benchMany(kind: string): Promise<void> {
  const [scans, checks]: [Point[], Point[]] = [[], []];
  for (const count of COUNTS) {
    const image = join(box, 'many.img');
    await manyFiles(kind, count, image);
    // In turn, since what else the machine does changes from one second to the next.
    const rounds = Array.from({ length: ROUNDS }, () => ({
      ...own(image, kind),
      readers: READERS.map(([command, ...args]) => reader(command!, [...args, image], nameOf(count - 1))),
    }));
    const [scan, check] = [median(rounds.map((r) => r.seconds)), median(rounds.map((r) => r.check))];
    scans.push({ size: count, seconds: scan });
    checks.push({ size: count, seconds: check });
    if (count === COUNTS.at(-1)) tellLargest(kind, count, rounds);
    rmSync(image);
  }
  growth('Scan', `${kind} opened and walked`, scans, 'files');
  growth('Check', `${kind} checked`, checks, 'files');
}

type Round = Scanned & { readonly readers: readonly (number | undefined)[] };

function tellLargest(kind: string, count: number, rounds: readonly Round[]): void {
  const times = READERS.map((words, i) => ({ name: words.join(' '), all: rounds.map((r) => r.readers[i]) }));
  const reading = times.filter((t): t is { name: string; all: number[] } => t.all.every((s) => s !== undefined));
  if (reading.length === 0) throw new Error(`no reader lists ${kind}`);
  const scan = median(rounds.map((r) => r.seconds));
  const faster = rounds.map((r) => r.seconds / Math.min(...reading.map(({ all }) => all[rounds.indexOf(r)]!)));
  figure({
    area: 'Scan',
    what: `${kind}, ${count} files opened and walked, of the time of the faster of ${reading.map((r) => r.name).join(' and ')}`,
    value: median(faster),
    unit: 'x',
    better: 'less',
    wanted: 0.2,
    beside: `${scan.toFixed(2)} s; ${reading.map(({ name, all }) => `${name} ${median(all).toFixed(2)} s`).join(', ')}`,
  });
  figure({
    area: 'Scan',
    what: `${kind}, ${count} files: memory of the process`,
    value: median(rounds.map((r) => r.resident)) / MIB,
    unit: 'MiB',
    better: 'less',
    wanted: 600,
  });
  const check = median(rounds.map((r) => r.check));
  figure({
    area: 'Check',
    what: `${kind}, ${count} files checked, of the time of the scan`,
    value: median(rounds.map((r) => r.check / r.seconds)),
    unit: 'x',
    better: 'less',
    wanted: 2,
    beside: `${check.toFixed(2)} s`,
  });
}
