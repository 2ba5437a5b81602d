/** Every operation on files of a whole run of the runner goes wrong in every way: nothing is lost, and there is a way on. */
import { DEEP } from '@/core/fixtures/rounds';
import { isCoreError } from '@/core/errors';
import { cpSync, existsSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, it, vi } from 'vitest';
import { systemFiles } from './files/files';
import { CutOff, FAULTS, FaultyFiles, GROWING, type Fault } from './files/fixtures/faulty-files';
import { letGo } from './fixtures/verbs';
import type { RunOptions } from './runs/run-options';
import { convert, make } from './verbs/make';
import { run } from './verbs/run';

/** In memory where there is such a place: a run makes hundreds of writes durable. */
const box = mkdtempSync(join(existsSync('/dev/shm') ? '/dev/shm' : tmpdir(), 'ullager-faults-'));
afterAll(() => rmSync(box, { recursive: true, force: true }));
const start = join(box, 'start');
const work = join(box, 'work');
const at = (name: string): string => join(work, name);

let err = '';
beforeEach(() => {
  err = '';
  vi.spyOn(process.stdout, 'write').mockImplementation(() => true);
  vi.spyOn(process.stderr, 'write').mockImplementation((text) => ((err += String(text)), true));
});
afterEach(() => vi.restoreAllMocks());

/** Every how-manieth operation is tried, in the ordinary and in the deep run. */
const STRIDE = DEEP ? 1 : 97;

const volume = (label: string, count: number): object => ({
  size: '1 MiB',
  fileSystem: 'fat12',
  label,
  fill: [{ folder: 'f', count, name: `${label} {n}.bin`, smallest: '2 KiB', largest: '9 KiB', fragments: 2 }],
});
const recipe = { version: 1, id: 'faults', name: 'faults', medium: 'usb', table: 'gpt' };
const DISKS = {
  'disk.img': { ...recipe, size: '4 MiB', volumes: [volume('ONE', 9)] },
  'full.img': { ...recipe, size: '4 MiB', volumes: [volume('ONE', 5), volume('TWO', 4)] },
};
const TARGETS = {
  divide: { volumes: [{ keep: 1, size: '512 KiB', start: '2 MiB', label: 'KEPT' }] },
  swap: { volumes: [{ keep: 2 }, { keep: 1 }] },
};

beforeAll(async () => {
  mkdirSync(start);
  for (const [name, disk] of Object.entries(DISKS)) {
    writeFileSync(join(box, 'recipe.json'), JSON.stringify(disk));
    expect(await make(join(box, 'recipe.json'), { out: join(start, name) })).toBe(0);
  }
  for (const [name, target] of Object.entries(TARGETS))
    writeFileSync(join(start, `${name}.json`), JSON.stringify(target));
  writeFileSync(join(start, 'mine.part'), 'somebody’s');
});

function fresh(): void {
  rmSync(work, { recursive: true, force: true });
  cpSync(start, work, { recursive: true });
}

interface Job {
  readonly image: string;
  readonly options: RunOptions;
  /** The file that is written. */
  readonly written: string;
}
const JOBS: Readonly<Record<string, () => Job>> = {
  'in place': () => ({
    image: at('disk.img'),
    options: { target: at('divide.json'), inPlace: true },
    written: at('disk.img'),
  }),
  'in place, set aside in a file': () => ({
    image: at('full.img'),
    options: { target: at('swap.json'), inPlace: true, scratch: at('aside.bin') },
    written: at('full.img'),
  }),
  'into a new file': () => ({
    image: at('disk.img'),
    options: { target: at('divide.json'), out: at('out.img') },
    written: at('out.img'),
  }),
  'into a packed file': () => ({
    image: at('disk.img'),
    options: { target: at('divide.json'), out: at('out.qcow2') },
    written: at('out.qcow2'),
  }),
};

/** What comes of a call: its exit code, or what it threw, which must be something a person can be told. */
async function outcome(act: () => Promise<number>): Promise<{ code?: number; thrown?: unknown }> {
  try {
    return { code: await act() };
  } catch (thrown) {
    const told = isCoreError(thrown) || thrown instanceof CutOff;
    expect(told, String((thrown as Error).stack)).toBe(true);
    return { thrown };
  }
}

const others = (names: readonly string[]): string[] => names.filter((n) => !n.endsWith('.part') || n === 'mine.part');

/** Goes on with what is there, as a person would who is told what to do. */
async function goOn({ image, options }: Job): Promise<number> {
  const resumed = await run(image, { ...options, target: undefined, resume: true }).catch((error: unknown) => {
    const none = /no run to resume|still being copied/i.test((error as Error).message);
    expect(none, (error as Error).message).toBe(true);
    return undefined;
  });
  return resumed ?? run(image, options);
}

describe.each(Object.keys(JOBS))('a run %s', (name) => {
  let expected: Buffer;
  let operations: readonly string[];
  let left: string[];

  beforeAll(async () => {
    vi.spyOn(process.stdout, 'write').mockImplementation(() => true);
    fresh();
    const files = new FaultyFiles(systemFiles, undefined, 0);
    const job = JOBS[name]!();
    expect(await run(job.image, job.options, files)).toBe(0);
    expected = readFileSync(job.written);
    operations = files.operations;
    left = readdirSync(work).sort();
    expect(operations.length).toBeGreaterThan(60);
  });

  it.each(FAULTS)('loses nothing where any operation meets “%s”', async (fault) => {
    let failed = 0;
    for (const n of operationsFor(fault)) {
      fresh();
      const job = JOBS[name]!();
      const original = readFileSync(job.image);
      const files = new FaultyFiles(systemFiles, fault, n);
      const { code, thrown } = await outcome(() => run(job.image, job.options, files));
      if (fault === 'short' && code !== undefined) expect(code, `operation ${n}`).toBe(0);
      if (thrown) failed += 1;
      letGo();
      await judge(job, fault, n, code, original);
    }
    if (fault !== 'short') expect(failed).toBeGreaterThan(STRIDE === 1 ? 5 : 0);
  });

  /** Operations that meet a fault: spread over all, and for what only some meet, over those. */
  function operationsFor(fault: Fault): number[] {
    const all = operations.flatMap((what, n) =>
      (fault === 'full' && !GROWING.has(what)) || (fault === 'short' && what !== 'write') ? [] : [n],
    );
    const step = Math.max(1, Math.floor((all.length * STRIDE) / operations.length));
    return all.filter((_, i) => i % step === FAULTS.indexOf(fault) % step);
  }

  async function judge(job: Job, fault: Fault, n: number, code: number | undefined, original: Buffer): Promise<void> {
    const said = `${fault} at operation ${n}`;
    const copies = !job.options.inPlace;
    if (copies) {
      expect(Buffer.compare(readFileSync(job.image), original), said).toBe(0);
      // Nothing that is not whole stands under its final name.
      if (existsSync(job.written)) expect(Buffer.compare(readFileSync(job.written), expected), said).toBe(0);
    }
    expect(readFileSync(at('mine.part'), 'utf8')).toBe('somebody’s');
    // Over, with a journal that could not be taken away: the next call does that.
    if (code === 0 && existsSync(`${job.written}.ullager-journal`)) expect(await goOn(job), said).toBe(0);
    // Cut between the last that was to be done and the end of the process.
    const over =
      !existsSync(`${job.written}.ullager-journal`) &&
      existsSync(job.written) &&
      Buffer.compare(readFileSync(job.written), expected) === 0;
    if (code !== 0 && !over) {
      await rewound(job, original, said);
      expect(await goOn(job), said).toBe(0);
    }
    expect(Buffer.compare(readFileSync(job.written), expected), said).toBe(0);
    expect(others(readdirSync(work)).sort(), said).toEqual(left);
  }

  /** What there is is put back as it was, in a copy of it all; files are known by what they are, so only in place. */
  async function rewound(job: Job, original: Buffer, said: string): Promise<void> {
    if (!job.options.inPlace) return;
    const kept = join(box, 'kept');
    rmSync(kept, { recursive: true, force: true });
    cpSync(work, kept, { recursive: true });
    const { thrown } = await outcome(() => run(job.image, { ...job.options, target: undefined, rewind: true }));
    if (thrown) expect(thrown, said).toMatchObject({ code: 'run.nothing-to-rewind' });
    expect(Buffer.compare(readFileSync(job.written), original), said).toBe(0);
    rmSync(work, { recursive: true, force: true });
    cpSync(kept, work, { recursive: true });
  }
});

describe('a file that is made', () => {
  it.each(FAULTS)('is whole or not there where any operation meets “%s”', async (fault) => {
    fresh();
    const files = new FaultyFiles(systemFiles, undefined, 0);
    expect(await convert(at('disk.img'), { out: at('whole.qcow2') }, files)).toBe(0);
    const expected = readFileSync(at('whole.qcow2'));
    for (let n = 0; n < files.operations.length; n += DEEP ? 1 : 3) {
      fresh();
      const { code } = await outcome(() =>
        convert(at('disk.img'), { out: at('made.qcow2') }, new FaultyFiles(systemFiles, fault, n)),
      );
      letGo();
      if (code === 0 || existsSync(at('made.qcow2')))
        expect(Buffer.compare(readFileSync(at('made.qcow2')), expected), `operation ${n}`).toBe(0);
      if (fault === 'full' || fault === 'short' || fault === 'io')
        expect(
          readdirSync(work).filter((f) => f.endsWith('.part') && f !== 'mine.part').length,
          `operation ${n}`,
        ).toBeLessThan(2);
    }
    expect(err).not.toMatch(/undefined/);
  });
});
