/** The guide as the text of docs/guide.md. */
import { KEYS, SIZES } from './keys';
import type { Task } from './tasks';

const table = (title: string, head: string, rows: readonly (readonly [string, string])[]): string =>
  [`## ${title}`, '', `| ${head} | |`, '|---|---|', ...rows.map(([a, b]) => `| ${a} | ${b} |`)].join('\n');

function taskText({ title, when, moves, note, picture }: Task): string {
  return [
    `## ${title}`,
    '',
    `_${when}_`,
    '',
    ...moves.map((move, i) => `${i + 1}. ${move}`),
    ...(note ? ['', note] : []),
    ...(picture ? ['', `![${title}](screenshots/${picture}.png)`] : []),
  ].join('\n');
}

export function guideText(tasks: readonly Task[]): string {
  return [
    '# Guide',
    'What a technician comes with, and the moves to it. The same stands in the application behind `?`.',
    ...tasks.map(taskText),
    table('Keys', 'Key', KEYS),
    table('Sizes', 'Typed', SIZES),
    '',
  ].join('\n\n');
}
