/**
 * Documents that may have been written by anybody: journals, ways back and scratch files beside an image, targets,
 * recipes, copies of tables, and what a browser has stored. Each is read or refused in words; no file is touched that
 * nobody named, and an image is changed only where that is proven.
 */
import { rounds } from '@/core/fixtures/rounds';
import { FaultyFiles } from '@/cli/files/fixtures/faulty-files';
import { systemFiles } from '@/cli/files/files';
import { LOCKS } from '@/cli/files/locks';
import type { RunOptions } from '@/cli/runs/run-options';
import { make } from '@/cli/verbs/make';
import { run } from '@/cli/verbs/run';
import { isCoreError } from '@/core/errors';
import { surveyDisk } from '@/core/inspect';
import { parseTableCopy, parseTarget, resolveTarget, tableCopy } from '@/core/job';
import { derivePlan } from '@/core/plan';
import { parseRecipe } from '@/core/practice';
import { frameRecord, readFrames } from '@/core/run';
import { buildStick, SPLIT } from '@/core/run/fixtures/sticks';
import { beginJob, parseJob } from '@/state/job';
import fc from 'fast-check';
import { copyFileSync, existsSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { basename, join } from 'node:path';
import { afterAll, beforeAll, beforeEach, describe, expect, it, vi } from 'vitest';

const RUNS = rounds(40, 1000);
const box = mkdtempSync(join(existsSync('/dev/shm') ? '/dev/shm' : tmpdir(), 'ullager-fuzz-'));
afterAll(() => rmSync(box, { recursive: true, force: true }));
const path = (name: string): string => join(box, name);

beforeEach(() => {
  vi.spyOn(process.stdout, 'write').mockImplementation(() => true);
  vi.spyOn(process.stderr, 'write').mockImplementation(() => true);
});

/** Somewhere in plain data, something else: a value, a key more or less, a list twice as long. */
function mutated(value: unknown, random: (below: number) => number, odd: unknown): unknown {
  const copy = structuredClone(value);
  const places: [Record<string, unknown> | unknown[], string | number][] = [];
  const walk = (at: unknown): void => {
    if (typeof at !== 'object' || at === null) return;
    for (const key of Object.keys(at)) {
      places.push([at as Record<string, unknown>, key]);
      walk((at as Record<string, unknown>)[key]);
    }
  };
  walk(copy);
  if (places.length === 0) return odd;
  const [holder, key] = places[random(places.length)]! as [Record<string, unknown>, string];
  const was = holder[key];
  const numbers = [0, -1, 1.5, 2 ** 53, 2 ** 32, NaN, 1, 4096];
  switch (random(6)) {
    case 0:
      delete holder[key];
      break;
    case 1:
      holder[key] = odd;
      break;
    case 2:
      holder[key] = typeof was === 'number' ? was + numbers[random(numbers.length)]! : numbers[random(numbers.length)];
      break;
    case 3:
      holder[key] = typeof was === 'string' ? `${was}/../../etc/passwd` : '/etc/passwd';
      break;
    case 4:
      holder[`${key}x`] = odd;
      break;
    default:
      holder[key] = Array.isArray(was) ? [...(was as unknown[]), ...(was as unknown[])] : [was];
  }
  return copy;
}

const mutation = fc.tuple(fc.array(fc.nat(1_000_000), { minLength: 8, maxLength: 8 }), fc.anything());

/** Applies one to three mutations. */
function spoil(value: unknown, [dice, odd]: [number[], unknown]): unknown {
  let next = 0;
  const random = (below: number): number => dice[next++ % dice.length]! % below;
  let out = value;
  for (let n = 1 + random(3); n > 0; n--) out = mutated(out, random, odd);
  return out;
}

describe('documents', () => {
  const target = { ...SPLIT, remove: [], checkAtNextStart: true };
  const recipe = {
    version: 1,
    id: 'fuzz',
    name: 'Fuzz',
    medium: 'hdd',
    size: '8 MiB',
    table: 'mbr',
    volumes: [{ fileSystem: 'fat12', label: 'A', letter: 'D', fill: [{ file: 'a.txt', text: 'x' }] }],
    weak: [{ at: '1 MiB', sectors: 4 }],
  };

  async function refusesOrReads(act: () => unknown): Promise<void> {
    try {
      await act();
    } catch (error) {
      expect(isCoreError(error), String((error as Error).stack)).toBe(true);
    }
  }

  it('targets, recipes, copies of tables and stored jobs are read or refused in words', async () => {
    const survey = await surveyDisk(await buildStick());
    const copy = tableCopy(survey);
    const job = beginJob(survey);
    await fc.assert(
      fc.asyncProperty(mutation, async (change) => {
        await refusesOrReads(() => {
          const { layout } = resolveTarget(survey, parseTarget(spoil(target, change)));
          derivePlan(survey, layout);
        });
        await refusesOrReads(() => parseRecipe(spoil(recipe, change)));
        await refusesOrReads(() => parseTableCopy(spoil(copy, change)));
        await refusesOrReads(() => parseJob(spoil(job, change)));
      }),
      { numRuns: RUNS },
    );
  });
});

describe('files beside an image', () => {
  const volume = (label: string): object => ({
    size: '1 MiB',
    fileSystem: 'fat12',
    label,
    fill: [{ folder: 'f', count: 4, name: `${label} {n}.bin`, smallest: '2 KiB', largest: '9 KiB' }],
  });
  const image = path('disk.img');
  const scratch = path('aside.bin');
  const options: RunOptions = { target: path('swap.json'), scratch, inPlace: true };
  const files = [image, `${image}.ullager-journal`, `${image}.ullager-undo`, scratch];
  let original: Buffer;
  let expected: Buffer;

  /** A run that was cut when its volume was on the scratch file; everything that it left is kept to begin from. */
  beforeAll(async () => {
    vi.spyOn(process.stdout, 'write').mockImplementation(() => true);
    writeFileSync(
      path('r.json'),
      JSON.stringify({
        version: 1,
        id: 'f',
        name: 'f',
        medium: 'usb',
        table: 'gpt',
        size: '4 MiB',
        volumes: [volume('ONE'), volume('TWO')],
      }),
    );
    writeFileSync(path('swap.json'), JSON.stringify({ volumes: [{ keep: 2 }, { keep: 1 }] }));
    writeFileSync(path('bystander'), 'mine');
    expect(await make(path('r.json'), { out: image })).toBe(0);
    original = readFileSync(image);
    const counting = new FaultyFiles(systemFiles, undefined, 0);
    expect(await run(image, options, counting)).toBe(0);
    expected = readFileSync(image);
    writeFileSync(image, original);
    rmSync(`${image}.ullager-undo`);
    const cut = new FaultyFiles(systemFiles, 'io', Math.floor(counting.operations.length * 0.5));
    await expect(run(image, options, cut)).rejects.toThrow();
    for (const file of files) copyFileSync(file, `${file}.kept`);
  });

  function restore(): void {
    for (const file of readdirSync(box)) if (!/\.kept$|\.json$|^bystander$/.test(file)) rmSync(path(file));
    for (const file of files) copyFileSync(`${file}.kept`, file);
  }

  /** The file with one of its records changed, and its frames made to check again. */
  async function spoilLog(file: string, change: [number[], unknown]): Promise<void> {
    const bytes = readFileSync(file);
    const records: { record: unknown; body: Uint8Array }[] = [];
    for await (const { record, body } of readFrames<unknown>(async (o, n) => bytes.subarray(o, o + n), bytes.length))
      records.push({ record, body: body.slice() });
    const [dice] = change;
    const at = dice[7]! % records.length;
    // Without its last records a log is as it was before they were made.
    if (dice[6]! % 5 === 0 && at < records.length - 1) records.splice(at, 1);
    else if (dice[6]! % 5 === 1) records.splice(at, 0, records[dice[5]! % records.length]!);
    else records[at] = { record: spoil(records[at]!.record, change), body: records[at]!.body };
    const frames = records.map(({ record, body }, i) => frameRecord(i, record ?? null, body));
    writeFileSync(file, Buffer.concat(frames));
  }

  async function tried(act: RunOptions): Promise<number | undefined> {
    const watched = new FaultyFiles(systemFiles, undefined, 0);
    let code: number | undefined;
    try {
      code = await run(image, { ...act, inPlace: true, scratch }, watched);
    } catch (error) {
      expect(isCoreError(error), String((error as Error).stack)).toBe(true);
    }
    const own = new RegExp(
      `^${box}/(${files.map((f) => basename(f).replaceAll('.', '\\.')).join('|')})(\\.\\w+\\.part)?$`,
    );
    for (const file of watched.touched) expect(own.test(file) || file.startsWith(LOCKS), file).toBe(true);
    expect(readFileSync(path('bystander'), 'utf8')).toBe('mine');
    return code;
  }

  /** What once led elsewhere. */
  const FOUND: Record<'journal' | 'undo' | 'scratch', [[number[], unknown], boolean][]> = {
    journal: [[[[0, 562539, 8, 169684, 0, 0, 197697, 5], []], false]],
    undo: [[[[10, 736283, 376593, 548777, 571058, 0, 430822, 314114], {}], true]],
    scratch: [],
  };

  it.each(['journal', 'undo', 'scratch'] as const)(
    'a %s that says something else leads nowhere but to what is true',
    async (which) => {
      let refused = 0;
      await fc.assert(
        fc.asyncProperty(mutation, fc.boolean(), async (change, rewinds) => {
          restore();
          if (which === 'scratch') {
            const bytes = readFileSync(scratch);
            const at = change[0][0]! % 2 === 0 ? 8192 + (change[0][1]! % 200) : change[0][1]! % bytes.length;
            bytes[at] = bytes[at]! ^ (1 + (change[0][2]! % 255));
            writeFileSync(scratch, bytes);
          } else await spoilLog(`${image}.ullager-${which}`, change);
          const code = await tried(rewinds ? { rewind: true } : { resume: true });
          const now = readFileSync(image);
          if (code === 0) expect(Buffer.compare(now, rewinds ? original : expected)).toBe(0);
          else refused += 1;
        }),
        { numRuns: RUNS, examples: FOUND[which] },
      );
      // Half of the cases put back, and most bytes of a scratch file are nobody's.
      expect(refused).toBeGreaterThan(RUNS / 50);
    },
  );
});
