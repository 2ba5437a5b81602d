/** The runner killed without warning at random moments of an in-place run, and resumed. */
import { rounds } from '../src/core/fixtures/rounds';
import { spawn } from 'node:child_process';
import { copyFileSync, existsSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { afterAll, expect, it } from 'vitest';
import { seededRandom } from '../src/core/practice';
import { RUNNER, scratch, ullager } from './readers';

const KILLS = rounds(1, 5);
const box = scratch();
afterAll(() => box.remove());

/** Starts the runner, waits for its journal, and kills it `after` milliseconds later; false when it was done by then. */
async function killed(args: string[], journal: string, after: number): Promise<boolean> {
  const child = spawn('node', [RUNNER, ...args], { stdio: 'ignore' });
  const ended = new Promise<void>((resolve) => child.on('exit', () => resolve()));
  while (!existsSync(journal) && child.exitCode === null) await new Promise((r) => setTimeout(r, 1));
  await new Promise((r) => setTimeout(r, after));
  const running = child.exitCode === null;
  child.kill('SIGKILL');
  await ended;
  // A run that was over takes its journal away, just before the process ends.
  return running && existsSync(journal);
}

const files = (near: number) => [
  { folder: 'near', count: 25, name: 'n{nnn}.bin', smallest: '10 KiB', largest: '400 KiB', fragments: 4 },
  { folder: 'far', count: 40, name: 'f{nnn}.bin', smallest: '10 KiB', largest: '900 KiB', near, fragments: 5 },
];
const divided = (fileSystem: string, clusterSize = 512) => ({
  volumes: [{ fileSystem, clusterSize, label: 'KILL', fill: files(0.6) }],
  target: [
    { keep: 1, size: '34 MiB' },
    { create: fileSystem, clusterSize, label: 'new' },
  ],
});
interface Case {
  readonly volumes: object[];
  readonly target: object[];
  /** The runner gets a file to set volumes aside in. */
  readonly scratch?: boolean;
}
const CASES: Record<string, Case> = {
  fat32: divided('fat32'),
  exfat: divided('exfat'),
  ext4: divided('ext4', 1024),
  // Both move over their own old places.
  moves: {
    volumes: [
      { size: '36 MiB', fileSystem: 'ntfs', label: 'ONE', fill: files(0.3) },
      { size: '32 MiB', fileSystem: 'ext4', label: 'TWO', fill: files(0.2) },
    ],
    target: [{ gap: '4 MiB' }, { keep: 1 }, { keep: 2, size: 'rest' }],
  },
  'made smaller on the way': {
    volumes: [{ size: '38 MiB', fileSystem: 'ntfs', label: 'ONE', fill: files(0.6) }],
    target: [{ keep: 1, size: '30 MiB', start: '44 MiB' }],
  },
  'set aside in a file': {
    volumes: [
      { size: '39 MiB', fileSystem: 'ntfs', label: 'ONE', fill: files(0.3) },
      { size: '40 MiB', fileSystem: 'fat16', label: 'TWO', fill: files(0.2) },
    ],
    target: [{ keep: 2 }, { keep: 1 }],
    scratch: true,
  },
};

it.each(Object.keys(CASES))(`%s gives the same bytes as an undisturbed run, killed ${KILLS} time(s)`, async (name) => {
  const { volumes, target: planned, scratch: aside } = CASES[name]!;
  const file = box.path('aside.bin');
  const further = aside ? ['--scratch', file] : [];
  const recipe = box.path(`${name}.json`);
  writeFileSync(
    recipe,
    JSON.stringify({ version: 1, id: 'kill', name: 'kill', medium: 'usb', size: '80 MiB', table: 'mbr', volumes }),
  );
  const target = box.path(`${name}-target.json`);
  writeFileSync(target, JSON.stringify({ volumes: planned }));
  const original = box.path(`${name}-original.img`);
  expect(ullager('make', recipe, '--out', original).code).toBe(0);
  const undisturbed = box.path(`${name}-undisturbed.img`);
  copyFileSync(original, undisturbed);
  const started = Date.now();
  expect(ullager('run', undisturbed, '--target', target, '--in-place', ...further).code).toBe(0);
  const whole = Date.now() - started;
  const expected = readFileSync(undisturbed);
  const random = seededRandom(Number(process.env.ULLAGER_KILL_SEED ?? 1));
  let killings = 0;
  for (let n = 0; n < KILLS;) {
    const image = box.path('image.img');
    copyFileSync(original, image);
    const args = ['run', image, '--target', target, '--in-place', ...further];
    const cut = await killed(args, `${image}.ullager-journal`, random() * whole);
    if (!cut) {
      rmSync(`${image}.ullager-undo`, { force: true });
      continue;
    }
    n += 1;
    const resumed = ullager('run', image, '--in-place', '--resume', ...further);
    // Killed before the plan was in the journal there is nothing to resume, and nothing was written.
    const nothing = /nothing to resume|no run to resume/i.test(resumed.err);
    const code = nothing ? ullager(...args).code : resumed.code;
    expect(code, resumed.err).toBe(0);
    expect(Buffer.compare(readFileSync(image), expected), `kill ${n}`).toBe(0);
    expect(existsSync(file)).toBe(false);
    killings += 1;
    for (const end of ['ullager-undo', 'ullager-journal']) rmSync(`${image}.${end}`, { force: true });
  }
  expect(killings).toBe(KILLS);
});
