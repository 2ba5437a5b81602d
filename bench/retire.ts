/** Reading and writing a whole disk: scan and search against reading the same bytes to nowhere, wiping against writing them. */
import { FileDevice } from '@/cli/files/file-device';
import { systemFiles } from '@/cli/files/files';
import { scan } from '@/core/health';
import { layoutOf, surveyDisk } from '@/core/inspect';
import { wipeDisk } from '@/core/layout';
import { derivePlan } from '@/core/plan';
import { MemoryJournal, startRun } from '@/core/run';
import { Session } from '@/core/session';
import { make } from '@/cli/verbs/make';
import { closeSync, fsyncSync, openSync, readSync, statSync, writeFileSync, writeSync } from 'node:fs';
import { join } from 'node:path';
import { box, quietly, rate } from './common';
import { figure } from './figures';
import { timed } from './timed';

const CHUNK = 4 * 1024 * 1024;
/** What is compared with what: bytes, seconds, and seconds of the baseline. */
interface RetireResult {
  readonly name: string;
  readonly bytes: number;
  readonly seconds: number;
  readonly plain: number;
  readonly than: string;
}

function readAll(path: string): void {
  const file = openSync(path, 'r');
  const buffer = Buffer.alloc(CHUNK);
  while (readSync(file, buffer, 0, CHUNK, null) > 0);
  closeSync(file);
}

function writeAll(path: string, bytes: number): void {
  const file = openSync(path, 'w');
  const buffer = Buffer.alloc(CHUNK);
  for (let done = 0; done < bytes; done += CHUNK) writeSync(file, buffer, 0, Math.min(CHUNK, bytes - done));
  fsyncSync(file);
  closeSync(file);
}

/** @param image a disk with one volume, which is wiped in the end */
async function runRetire(image: string): Promise<RetireResult[]> {
  const bytes = statSync(image).size;
  const clock = (): number => performance.now() / 1000;
  // Once for nothing, so that all of them read what the system has at hand.
  readAll(image);
  const reading = await timed(() => readAll(image));
  const device = await FileDevice.open(systemFiles, image, 512);
  const scanning = await timed(async () => {
    for await (const { kind } of scan(device, [{ start: 0, end: device.size }], { clock }))
      if (kind === 'fault') throw new Error('a sector of a sound file failed');
  });
  // With no table all of it is searched.
  const first = await device.bytes(0, 512);
  await device.write(0, new Uint8Array(512));
  const session = await Session.open(device, 'disk', true);
  const searching = await timed(async () => {
    const { lost } = await session.find();
    if (lost?.length !== 1) throw new Error('the volume was not found');
  });
  await device.write(0, first);
  const writing = await timed(() => writeAll(join(box, 'written.img'), bytes));
  const than = 'reading it';
  const out = [
    { name: 'scan', bytes, seconds: scanning, plain: reading, than },
    { name: 'search for lost volumes', bytes, seconds: searching, plain: reading, than },
  ];
  for (const pattern of ['zeros', 'random'] as const) {
    const survey = await surveyDisk(device, undefined, undefined, true);
    const wiped = wipeDisk(layoutOf(survey), { passes: [pattern], compare: 0 });
    if (!wiped.ok) throw new Error(wiped.reason);
    const plan = derivePlan(survey, wiped.layout);
    const ports = { disk: device, journal: new MemoryJournal(), now: () => new Date().toISOString() };
    out.push({
      name: `wipe with ${pattern}`,
      bytes,
      seconds: await timed(() => startRun(plan, ports)),
      plain: writing,
      than: 'writing it',
    });
  }
  await device.close();
  return out;
}

/** A whole disk read, searched and wiped. */
export async function benchRetire(): Promise<void> {
  const [recipe, image] = [join(box, 'retire.json'), join(box, 'retire.img')];
  const fill = [{ folder: 'a', count: 200, name: '{n}.bin', smallest: '4 MiB', largest: '5 MiB' }];
  const volumes = [{ fileSystem: 'ntfs', label: 'OLD', fill }];
  const facts = { version: 1, id: 'r', name: 'r', medium: 'hdd', size: '2 GiB', table: 'mbr', volumes };
  writeFileSync(recipe, JSON.stringify(facts));
  await quietly(() => make(recipe, { out: image }));
  for (const { name, bytes, seconds, plain, than } of await runRetire(image))
    figure({
      area: 'A whole disk',
      what: `${name}, of the speed of ${than}`,
      value: plain / seconds,
      unit: 'x',
      better: 'more',
      beside: `${seconds.toFixed(2)} s, ${rate(bytes, seconds)}`,
    });
}
