/** What was measured as a document, with what was measured the last time beside it. */
import { execFileSync } from 'node:child_process';
import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { cpus, totalmem, type } from 'node:os';
import * as z from 'zod';
import { inUnit, reached, wantedWords, type Figure } from './figures';

const DOCUMENT = 'docs/performance.md';
const LAST = 'bench/last.json';
/** Less than this from one run to the next is what the machine does besides. */
const NOISE = 0.2;

const keptSchema = z.array(
  z.object({
    area: z.string(),
    what: z.string(),
    value: z.number(),
    unit: z.enum(['x', 'exponent', 's', 'ms', 'MiB', 'kB', '%', 'times']),
    better: z.enum(['less', 'more']),
    wanted: z.number().optional(),
    beside: z.string().optional(),
    date: z.string(),
    machine: z.string(),
    /** What it was the time before. */
    before: z.number().optional(),
    /** By more than noise than the time before. */
    worse: z.boolean().optional(),
  }),
);
/** A figure with when and where it was measured. */
type Kept = z.infer<typeof keptSchema>[number];

const lastRun = (): readonly Kept[] =>
  existsSync(LAST) ? (keptSchema.safeParse(JSON.parse(readFileSync(LAST, 'utf8'))).data ?? []) : [];

function machine(): string {
  const [first, ...rest] = cpus();
  const memory = Math.round(totalmem() / 2 ** 30);
  return `${rest.length + 1} × ${first?.model.trim() ?? 'processor'}, ${memory} GiB, ${type()}, Node ${process.versions.node}`;
}

const same = (a: Figure, b: Figure): boolean => a.area === b.area && a.what === b.what;

/** Whether a figure is worse than the last one by more than noise. Seconds of one machine say nothing of another. */
function isWorse(now: Kept, then: Kept): boolean {
  const ratio = now.unit === 'x' || now.unit === 'exponent' || now.unit === 'kB';
  if (!ratio && now.machine !== then.machine) return false;
  const [worse, better] = now.better === 'less' ? [now.value, then.value] : [then.value, now.value];
  return worse > better * (1 + NOISE) + (now.unit === 'exponent' ? 0.05 : 0);
}

function rowOf(kept: Kept): string {
  const is = reached(kept);
  const cells = [
    kept.what,
    inUnit(kept.value, kept.unit),
    wantedWords(kept),
    is === undefined ? '' : is ? 'yes' : 'no',
  ];
  const then = kept.before === undefined ? '' : inUnit(kept.before, kept.unit);
  return `| ${[...cells, then, kept.beside ?? '', kept.date].join(' | ')} |`;
}

const tableOf = (area: string, all: readonly Kept[]): string =>
  [
    `## ${area}`,
    '',
    '| what | measured | wanted | reached | time before | from | on |',
    '| --- | --- | --- | --- | --- | --- | --- |',
    ...all.filter((kept) => kept.area === area).map(rowOf),
    '',
  ].join('\n');

/**
 * Writes the document, and what the next run compares with; figures that were not measured now stay as they were.
 * @returns what got worse, in words
 */
export function writePerformance(figures: readonly Figure[]): string[] {
  const last = lastRun();
  const [here, date] = [machine(), new Date().toISOString().slice(0, 10)];
  const fresh = figures.map((figure): Kept => {
    const then = last.find((one) => same(one, figure));
    const kept: Kept = { ...figure, value: Number(figure.value.toPrecision(4)), date, machine: here };
    if (!then) return kept;
    return { ...kept, before: then.value, worse: isWorse(kept, then) };
  });
  const all = [...fresh, ...last.filter((one) => !fresh.some((kept) => same(kept, one)))];
  const worse = all
    .filter((one) => one.worse)
    .map((one) => `${one.area}: ${one.what}: ${inUnit(one.value, one.unit)}, were ${inUnit(one.before!, one.unit)}`);
  const areas = [...new Set(all.map((kept) => kept.area))].sort();
  const lines = [
    '# Performance',
    '',
    `Written by \`npm run bench\`; nothing in it is typed by hand. Machine of the last run: ${here}.`,
    '',
    'A ratio (x) compares with something measured in the same run on the same bytes: a plain copy in pieces of 1 MiB',
    'with one barrier at the end, the machine’s own SHA-256, or an independent reader. How something grows is the',
    'exponent of size fitted through what it took at several sizes: 1 is linear.',
    '',
    '## Worse than the time before',
    '',
    worse.length === 0 ? `Nothing by more than ${NOISE * 100} %.` : worse.map((line) => `- ${line}`).join('\n'),
    '',
    ...areas.map((area) => tableOf(area, all)),
  ];
  writeFileSync(DOCUMENT, lines.join('\n'));
  writeFileSync(LAST, JSON.stringify(all));
  execFileSync('npx', ['prettier', '--log-level', 'warn', '--write', LAST], { stdio: 'inherit' });
  return worse;
}
