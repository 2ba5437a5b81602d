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

const lastSchema = z.object({
  date: z.string(),
  machine: z.string(),
  figures: z.array(z.object({ area: z.string(), what: z.string(), value: z.number() })),
});
type Last = z.infer<typeof lastSchema>;

const lastRun = (): Last | undefined =>
  existsSync(LAST) ? lastSchema.safeParse(JSON.parse(readFileSync(LAST, 'utf8'))).data : undefined;

function machine(): string {
  const [first, ...rest] = cpus();
  const memory = Math.round(totalmem() / 2 ** 30);
  return `${rest.length + 1} × ${first?.model.trim() ?? 'processor'}, ${memory} GiB, ${type()}, Node ${process.versions.node}`;
}

const before = (last: Last | undefined, { area, what }: Figure): number | undefined =>
  last?.figures.find((f) => f.area === area && f.what === what)?.value;

/** Whether a figure is worse than the last one by more than noise. Seconds of one machine say nothing of another. */
function isWorse(figure: Figure, then: number | undefined, sameMachine: boolean): boolean {
  const ratio = figure.unit === 'x' || figure.unit === 'exponent' || figure.unit === 'kB';
  if (then === undefined || (!ratio && !sameMachine)) return false;
  const [worse, better] = figure.better === 'less' ? [figure.value, then] : [then, figure.value];
  return worse > better * (1 + NOISE) + (figure.unit === 'exponent' ? 0.05 : 0);
}

/** Writes the document, and what the next run compares with. Returns what got worse, in words. */
export function writePerformance(figures: readonly Figure[]): string[] {
  const last = lastRun();
  const here = machine();
  const date = new Date().toISOString().slice(0, 10);
  const rowOf = (f: Figure): string => {
    const then = before(last, f);
    const verdict = { true: 'yes', false: 'no', undefined: '' }[String(reached(f)) as 'true' | 'false' | 'undefined'];
    const cells = [f.what, inUnit(f.value, f.unit), wantedWords(f), verdict];
    return `| ${[...cells, then === undefined ? '' : inUnit(then, f.unit), f.beside ?? ''].join(' | ')} |`;
  };
  const areas = [...new Set(figures.map((f) => f.area))];
  const tables = areas.map((area) =>
    [
      `## ${area}`,
      '',
      '| what | measured | wanted | reached | last time | from |',
      '| --- | --- | --- | --- | --- | --- |',
      ...figures.filter((f) => f.area === area).map(rowOf),
      '',
    ].join('\n'),
  );
  const worse = figures.flatMap((f) => {
    const then = before(last, f);
    if (!isWorse(f, then, last?.machine === here)) return [];
    return [`${f.area}: ${f.what}: ${inUnit(f.value, f.unit)}, ${inUnit(then!, f.unit)} the last time`];
  });
  const head = [
    '# Performance',
    '',
    `Written by \`npm run bench\` on ${date}; nothing in it is typed by hand. Machine: ${here}.`,
    last ? `The last time was ${last.date}, on ${last.machine === here ? 'the same machine' : last.machine}.` : '',
    '',
    'A ratio (x) compares with something measured in the same run on the same bytes: a plain copy in pieces of 4 MiB',
    'with one barrier at the end, the machine’s own SHA-256, or an independent reader. How something grows is the',
    'exponent of size fitted through what it took at several sizes: 1 is linear.',
    '',
    '## Worse than the last time',
    '',
    worse.length === 0 ? `Nothing by more than ${NOISE * 100} %.` : worse.map((line) => `- ${line}`).join('\n'),
    '',
  ];
  writeFileSync(DOCUMENT, [...head, ...tables].join('\n'));
  const kept = figures.map(({ area, what, value }) => ({ area, what, value: Number(value.toPrecision(4)) }));
  writeFileSync(LAST, JSON.stringify({ date, machine: here, figures: kept } satisfies Last));
  execFileSync('npx', ['prettier', '--log-level', 'warn', '--write', LAST], { stdio: 'inherit' });
  return worse;
}
