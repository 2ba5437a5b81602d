/** The runner on block devices of this machine: loop devices, which are taken away and come back under another name. */
import { execFileSync, spawn, spawnSync } from 'node:child_process';
import { copyFileSync, existsSync, mkdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { basename } from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';
import { seededRandom } from '../src/core/practice';
import { MOUNTS } from './kernel';
import { filesOf, read, RUNNER, scratch, ullager } from './readers';

const MIB = 1024 * 1024;
const box = scratch();
const attached = new Set<string>();
afterAll(() => {
  for (const device of attached) execFileSync('losetup', ['-d', device]);
  box.remove();
});

if (!MOUNTS) console.warn('There are no loop devices here: the runner on block devices was not tested.');

/** A file as a device, under another name than `not`, which it had before. */
function attach(file: string, sectorSize: number, not?: string): string {
  for (let tries = 0; tries < 20; tries++) {
    // Who else uses loop devices here may have taken that one meanwhile, and may let go of it again.
    const held = not !== undefined && spawnSync('losetup', [not, box.path('other.img')]).status === 0;
    const device = read('losetup', ['-f', '--show', '-b', String(sectorSize), file]).trim();
    if (held) execFileSync('losetup', ['-d', not]);
    if (device !== not) {
      attached.add(device);
      return device;
    }
    execFileSync('losetup', ['-d', device]);
  }
  throw new RangeError(`no name but ${not} is to be had`);
}

function detach(device: string): void {
  execFileSync('losetup', ['-d', device]);
  attached.delete(device);
}

const fill = [
  { folder: 'near', count: 25, name: 'n{nnn}.bin', smallest: '10 KiB', largest: '400 KiB', fragments: 4 },
  { folder: 'far', count: 60, name: 'f{nnn}.bin', smallest: '10 KiB', largest: '600 KiB', near: 0.7, fragments: 5 },
];

function stick(sectorSize: number): { image: string; target: string; journal: string } {
  const [image, recipe] = [box.path(`s${sectorSize}.img`), box.path('recipe.json')];
  const [target, journal] = [box.path('target.json'), box.path(`journal-${sectorSize}`)];
  if (!existsSync(box.path('other.img'))) writeFileSync(box.path('other.img'), new Uint8Array(MIB));
  const disk = { version: 1, id: 'dev', name: 'dev', medium: 'usb', size: '160 MiB', table: 'gpt', sectorSize };
  writeFileSync(recipe, JSON.stringify({ ...disk, volumes: [{ fileSystem: 'ext4', label: 'KEPT', fill }] }));
  writeFileSync(
    target,
    JSON.stringify({
      volumes: [
        { keep: 1, size: '60 MiB' },
        { create: 'exfat', label: 'NEW' },
      ],
    }),
  );
  expect(ullager('make', recipe, '--out', image).code).toBe(0);
  mkdirSync(journal);
  return { image, target, journal };
}

/** A run on a device, meant by its name. */
const inPlace = (device: string, journal: string, ...more: string[]): string[] => [
  ...['run', device, '--in-place', '--i-mean', basename(device), '--journal', journal],
  ...more,
];

/** Starts the runner and waits for its journal; then `act` has its turn after a moment. */
async function interrupted(
  args: string[],
  journal: string,
  after: number,
  act: () => void,
  least = 0,
): Promise<number | null> {
  const child = spawn('node', [RUNNER, ...args], { stdio: 'ignore' });
  const ended = new Promise<void>((resolve) => child.on('exit', () => resolve()));
  const begun = (): boolean => existsSync(journal) && statSync(journal).size >= least;
  while (!begun() && child.exitCode === null) await new Promise((r) => setTimeout(r, 1));
  await new Promise((r) => setTimeout(r, after));
  if (child.exitCode === null) act();
  if (act === NOTHING) child.kill('SIGKILL');
  await ended;
  return child.exitCode;
}
/** A journal as long as that has its plan: the run has begun. */
const PLAN_BYTES = 1000;
const NOTHING = (): void => undefined;

describe.runIf(MOUNTS).each([512, 4096])('a device with sectors of %i bytes', (sectorSize) => {
  it('is divided, taken away five times meanwhile, and proven under the name it then has', async () => {
    const { image, target, journal } = stick(sectorSize);
    const before = filesOf(image);
    const kept = `${journal}/disk-${160 * MIB}.ullager-journal`;
    const random = seededRandom(sectorSize);
    let device = attach(image, sectorSize);
    const on = (...more: string[]): string[] => inPlace(device, journal, ...more);
    expect(ullager('inspect', device, '--json').out).toContain(`"sectorSize": ${sectorSize}`);
    let cut = 0;
    for (let time = 0; time < 5; time++) {
      const args = time === 0 || !existsSync(kept) ? on('--target', target) : on('--resume');
      await interrupted(args, kept, 20 + random() * 300, NOTHING);
      if (existsSync(kept)) cut += 1;
      const was = device;
      detach(device);
      device = attach(image, sectorSize, was);
      expect(device).not.toBe(was);
    }
    expect(cut).toBeGreaterThan(0);
    if (existsSync(kept)) {
      const resumed = ullager(...on('--resume', '--json'));
      // Taken away before the plan was in the journal, there is nothing to resume, and nothing was written.
      const nothing = /nothing to resume|no run to resume/i.test(resumed.err);
      const { code, out, err } = nothing ? ullager(...on('--target', target, '--json')) : resumed;
      expect(code, err).toBe(0);
      expect((JSON.parse(out) as { proven: boolean }).proven).toBe(true);
    }
    expect(filesOf(device)).toEqual(before);
    // The way back is kept in the folder too, and leads from this device whatever it is called.
    const whole = ullager(...on('--rewind'));
    expect(whole.err).toBe('');
    expect(whole.code).toBe(0);
    expect(filesOf(device)).toEqual(before);
    detach(device);
  });

  it('is gone on with when it could not be written for a while', async () => {
    const image = box.path(`s${sectorSize}.img`);
    const before = filesOf(image);
    const journal = box.path(`again-${sectorSize}`);
    mkdirSync(journal);
    const device = attach(image, sectorSize);
    const on = (...more: string[]): string[] => inPlace(device, journal, ...more);
    const kept = `${journal}/disk-${160 * MIB}.ullager-journal`;
    const protect = (): void => void execFileSync('blockdev', ['--setro', device]);
    const code = await interrupted(on('--target', box.path('target.json')), kept, 0, protect, PLAN_BYTES);
    execFileSync('blockdev', ['--setrw', device]);
    expect(existsSync(kept)).toBe(true);
    expect(code).not.toBe(0);
    expect(ullager(...on('--target', box.path('target.json'))).err).toMatch(/unfinished/);
    expect(ullager(...on('--resume')).code).toBe(0);
    expect(filesOf(device)).toEqual(before);
    expect(ullager('inspect', device).out).toContain('NEW');
    detach(device);
  });
});

describe.runIf(MOUNTS)('a device', () => {
  it('is written only when it is meant, and its journal stands on another disk', () => {
    copyFileSync(box.path('s512.img'), box.path('meant.img'));
    const bytes = readFileSync(box.path('meant.img'));
    const device = attach(box.path('meant.img'), 512);
    const target = box.path('target.json');
    mkdirSync(box.path('empty'));
    const refused = (words: RegExp, ...more: string[]): void => {
      const { code, err } = ullager('run', device, '--target', target, '--in-place', ...more);
      expect([code, err]).toEqual([2, expect.stringMatching(words)]);
    };
    refused(/say --i-mean "loop\d+"/);
    refused(/say --i-mean/, '--i-mean', 'something else', '--journal', box.path('journal-512'));
    refused(/--journal DIR/, '--i-mean', basename(device));
    refused(/no folder/, '--i-mean', basename(device), '--journal', box.path('nowhere'));
    refused(/sectors/, '--i-mean', basename(device), '--journal', box.path('empty'), '--sector-size', '4096');
    expect(readFileSync(box.path('meant.img')).equals(bytes)).toBe(true);
    detach(device);
  });

  it('is left alone while it, or a volume of it, is mounted', () => {
    const recipe = box.path('bare.json');
    const bare = { version: 1, id: 'bare', name: 'bare', medium: 'usb', size: '32 MiB', table: 'none' };
    writeFileSync(recipe, JSON.stringify({ ...bare, volumes: [{ fileSystem: 'ext4', label: 'BARE' }] }));
    expect(ullager('make', recipe, '--out', box.path('bare.img')).code).toBe(0);
    const device = attach(box.path('bare.img'), 512);
    const folder = box.path('mounted');
    mkdirSync(folder);
    read('mount', [device, folder]);
    try {
      const mean = ['--i-mean', basename(device), '--journal', box.path('journal-512')];
      const { code, err } = ullager('run', device, '--target', box.path('target.json'), '--in-place', ...mean);
      expect([code, err]).toEqual([1, expect.stringMatching(/mounted or in use/)]);
      const on = ullager(
        'run',
        device,
        '--target',
        box.path('target.json'),
        '--in-place',
        '--i-mean',
        basename(device),
        '--journal',
        folder,
      );
      expect([on.code, on.err]).toEqual([2, expect.stringMatching(/on the disk that is to be written/)]);
      expect(ullager('inspect', device).err).toMatch(/mounted or in use/);
    } finally {
      read('umount', [folder]);
    }
    expect(ullager('inspect', device).code).toBe(0);
    expect(ullager('run', device, '--target', box.path('target.json'), '--out', box.path('out.img')).code).not.toBe(0);
    detach(device);
  });

  it('has files taken away to another device, both taken away meanwhile, and both are put back', async () => {
    const [place, old, journal] = [box.path('place.img'), box.path('old.img'), box.path('journal-two')];
    const made = (out: string, size: string, volumes: readonly object[]): void => {
      const recipe = { version: 1, id: 'two', name: 'two', medium: 'usb', size, table: 'gpt', volumes };
      writeFileSync(box.path('two.json'), JSON.stringify(recipe));
      expect(ullager('make', box.path('two.json'), '--out', out).code).toBe(0);
    };
    made(old, '64 MiB', [{ fileSystem: 'ntfs', label: 'OLD', fill: [{ ...fill[1], near: 0.2 }] }]);
    made(place, '96 MiB', []);
    mkdirSync(journal);
    const target = box.path('take.json');
    const transfer = { from: { disk: 'old', volume: 1 }, folder: 'far', to: 'data', then: 'remove' };
    writeFileSync(
      target,
      JSON.stringify({ volumes: [{ create: 'exfat', label: 'DATA', as: 'data' }], transfers: [transfer] }),
    );
    const [were, files] = [[place, old].map((path) => readFileSync(path)), filesOf(old)];
    let [to, from] = [attach(place, 512), attach(old, 512)];
    const on = (mean: string, ...more: string[]): string[] =>
      inPlace(to, journal, '--with', `old=${from}`, '--i-mean', mean, ...more);
    const meant = (...more: string[]): string[] => on(`old=${basename(from)}`, ...more);
    for (const mean of [basename(to), `old=${basename(to)}`, 'old=', `else=${basename(from)}`]) {
      const { code, err } = ullager(...on(mean, '--target', target));
      expect([code, err], mean).toEqual([2, expect.stringMatching(/say --i-mean/)]);
    }
    expect(ullager(...inPlace(to, journal, '--with', `old=${from}`, '--target', target)).err).toContain(
      `say --i-mean "old=${basename(from)}"`,
    );
    const kept = `${journal}/disk-${96 * MIB}.ullager-journal`;
    const mark = `${journal}/disk-${64 * MIB}.ullager-part`;
    const random = seededRandom(77);
    let marked = 0;
    for (let time = 0; time < 4; time++) {
      const args = existsSync(kept) ? meant('--resume') : meant('--target', target);
      await interrupted(args, kept, random() * 250, NOTHING, PLAN_BYTES);
      if (existsSync(mark)) {
        marked += 1;
        const own = ullager(
          'run',
          from,
          '--in-place',
          '--i-mean',
          basename(from),
          '--journal',
          journal,
          '--target',
          target,
        );
        expect(own.err).toMatch(/writes it too/);
      }
      const [a, b] = [to, from];
      for (const device of [a, b]) detach(device);
      to = attach(place, 512, a);
      from = attach(old, 512, b);
    }
    expect(marked).toBeGreaterThan(0);
    if (existsSync(kept)) {
      const { code, err } = ullager(...meant('--resume'));
      expect(code, err).toBe(0);
    }
    expect([kept, mark].map((path) => existsSync(path))).toEqual([false, false]);
    const told = (path: string): (readonly [string, string | undefined])[] =>
      filesOf(path).map((f) => [f.path, f.sha256] as const);
    expect(told(to)).toEqual(files.filter((f) => f.path.startsWith('far/')).map((f) => [f.path, f.sha256]));
    expect(told(from)).toEqual(files.filter((f) => !f.path.startsWith('far/')).map((f) => [f.path, f.sha256]));
    expect(ullager(...meant('--rewind')).code).toBe(0);
    for (const device of [to, from]) detach(device);
    expect([place, old].map((path, i) => readFileSync(path).equals(were[i]!))).toEqual([true, true]);
  });

  it('is read into a file, as any image is', () => {
    const device = attach(box.path('s4096.img'), 4096);
    expect(ullager('convert', device, '--out', box.path('copy.img')).code).toBe(0);
    expect(readFileSync(box.path('copy.img')).equals(readFileSync(box.path('s4096.img')))).toBe(true);
    detach(device);
  });
});
