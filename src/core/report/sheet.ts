/** The job sheet: which disk, how it is to become, what is done in which order, and room for names. */
import type { Survey } from '@/core/inspect';
import { changesBetween, nameOf, type Layout } from '@/core/layout';
import { durationWords, lossWords, stepWords, type Plan } from '@/core/plan';
import { formatBytes, formatSize, spaced } from '@/core/size';
import { diskMark } from '@/core/table';
import { changeWords, disksBeside, freeThen, isMended } from './changes';
import type { Block, Paper } from './paper';
import { pictureOf } from './picture';
import { comingBy, usedAfter, usedBy } from './use';

/** What a sheet is made of. */
export interface SheetFacts {
  /** What the disk is called, and what it is where that is known. */
  readonly disk: string;
  readonly medium?: string;
  readonly survey: Survey;
  readonly now: Layout;
  readonly planned: Layout;
  readonly plan: Plan;
  /** What the layout was rounded to, and whatever else a person was told. */
  readonly told?: readonly string[];
  readonly notes?: string;
  /** When it was made, as it shall stand there. */
  readonly when: string;
}

const TABLES = { none: 'none', mbr: 'master boot record', gpt: 'GUID table' } as const;
/** A picture as wide as the paper, and as low as leaves the rest its room. */
const PICTURE = { width: 515, height: 178 };

/** Which disk it is, beyond doubt. */
export function identityFacts(
  { partitions, size, sectorSize, table, volumes }: Survey,
  medium?: string,
): [string, string][] {
  const files = volumes.reduce((sum, v) => sum + v.files, 0);
  return [
    ['Disk', `${formatSize(size, 'decimal')} (${formatSize(size)})${medium ? ` ${medium}` : ''}`],
    ['Exactly', `${formatBytes(size)}, sectors of ${sectorSize}`],
    ['Table', table === 'none' ? TABLES.none : `${TABLES[table]}, ${diskMark(partitions)}`],
    ['Holds', `${spaced(files)} files in ${volumes.length} volume${volumes.length === 1 ? '' : 's'}`],
  ];
}

/** The job sheet of a plan, to be printed before its run. */
export function jobSheet(facts: SheetFacts): Paper {
  const { disk, medium, survey, now, planned, plan, told = [], notes = '', when } = facts;
  const { seconds, carries } = plan.total;
  const identity = identityFacts(survey, medium);
  const work: [string, string][] = [
    [
      'Takes',
      plan.steps.length === 0
        ? 'nothing to do'
        : seconds < 1
          ? durationWords(seconds)
          : `about ${durationWords(seconds)}`,
    ],
    ['Carries', formatSize(carries)],
    ['Loses', plan.loses.bytes > 0 || plan.loses.files > 0 ? lossWords(plan.loses) : 'nothing'],
    ...disksBeside(plan),
    ['Machine', plan.restart ? `has to restart: ${plan.restart}` : 'need not restart'],
  ];
  const used = usedBy(survey);
  const list = (title: string, items: readonly string[]): Block[] =>
    items.length > 0 ? [{ kind: 'list', title, items: items.map((text) => ({ text })) }] : [];
  return {
    title: 'Job sheet',
    subtitle: disk,
    blocks: [
      { kind: 'facts', items: [...identity, ...work] },
      {
        kind: 'picture',
        drawing: pictureOf(used, now, planned, PICTURE, undefined, usedAfter(used, comingBy(plan.steps, planned))),
      },
      beforeAfter(survey, now, planned, plan),
      {
        kind: 'list',
        title: 'Work order',
        numbered: true,
        items: plan.steps.map((step) => {
          const { title, detail } = stepWords(step);
          return { text: `${title} (${durationWords(step.cost.seconds)})`, detail };
        }),
      },
      ...list('Before it begins', [
        ...told,
        ...plan.hazards.filter((h) => h.severity === 'warning').map((h) => h.message),
        ...plan.hazards.filter((h) => h.severity === 'info').map((h) => h.message),
      ]),
      ...list('To be set again afterwards', plan.after),
      { kind: 'signature', notes, fields: ['Customer', 'Technician', 'Date'] },
    ],
    footer: `Ullager job sheet, ${when}. Nothing has been written yet.`,
  };
}

function beforeAfter(survey: Survey, now: Layout, planned: Layout, plan: Plan): Block {
  const rows = changesBetween(now, planned).volumes.map((row) => {
    const { was, is } = row;
    const volume = (is ?? was)!;
    return [
      volume.letter ?? '',
      volume.label || nameOf({ ...volume, letter: '' }),
      volume.role,
      was ? formatSize(was.length) : 'not there',
      is ? formatSize(is.length) : 'gone',
      is ? formatSize(freeThen(survey, plan, is)) : '',
      changeWords(row, planned, isMended(row, planned, survey), plan).join(', '),
    ];
  });
  return {
    kind: 'table',
    title: 'Before and after',
    columns: [
      { title: '', share: 0.04 },
      { title: 'Volume', share: 0.2 },
      { title: 'Role', share: 0.1 },
      { title: 'Now', share: 0.12, end: true },
      { title: 'Planned', share: 0.12, end: true },
      { title: 'Free then', share: 0.12, end: true },
      { title: 'What happens', share: 0.3 },
    ],
    rows,
  };
}
