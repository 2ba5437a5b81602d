/** How long it takes until something is there: the runner, and images of any size. */
import { exportQcow2 } from '@/core/image';
import { buildPracticeDisk, parseRecipe } from '@/core/practice';
import { spawnSync } from 'node:child_process';
import { closeSync, openSync, readFileSync, rmSync, writeSync } from 'node:fs';
import { join } from 'node:path';
import { box, recipe } from './common';
import { figure, median, short } from './figures';

const RUNNER = 'scripts/ullager.mjs';

/** Seconds that a start of the runner takes, to its end. */
function runner(...args: string[]): number {
  const started = performance.now();
  const { status, stderr } = spawnSync('node', [RUNNER, ...args], { encoding: 'utf8' });
  if (status !== 0) throw new Error(`${args.join(' ')}: ${stderr}`);
  return (performance.now() - started) / 1000;
}

/** The median of five, and of as many starts of Node that do nothing. */
export async function benchOpening(): Promise<void> {
  const five = (act: () => number): number => median(Array.from({ length: 5 }, act));
  const node = five(() => {
    const started = performance.now();
    spawnSync('node', ['-e', '0']);
    return (performance.now() - started) / 1000;
  });
  const beside = `Node alone ${short(node)}`;
  const small = join(box, 'small.img');
  runner('make', recipe('64 MiB', 8, 8), '--out', small);
  const large = join(box, 'large.img');
  runner('make', recipe('64 GiB', 8, 8, 'ntfs'), '--out', large);
  const packed = join(box, 'tera.qcow2');
  const disk = await buildPracticeDisk(parseRecipe(JSON.parse(readFileSync(recipe('1 TiB', 8, 8, 'ntfs'), 'utf8'))));
  const file = openSync(packed, 'w');
  for await (const chunk of exportQcow2(disk)) writeSync(file, chunk);
  closeSync(file);
  const images = [
    ['a small image', small],
    ['an image of 64 GiB', large],
    ['a qcow2 of 1 TiB', packed],
  ] as const;
  for (const [what, image] of images)
    figure({
      area: 'Start',
      what: `the runner inspects ${what}, from its start to its end`,
      value: five(() => runner('inspect', image)),
      unit: 's',
      better: 'less',
      wanted: 0.3,
      beside,
    });
  for (const path of [small, large, packed]) rmSync(path);
}
