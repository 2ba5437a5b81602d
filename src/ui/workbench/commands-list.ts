/** Everything that can be done by name, with what it does to the volume in hand. */
import { boundsOf } from '@/core/inspect';
import {
  createVolume,
  formatVolume,
  gapsOf,
  nameOf,
  nextLetter,
  removeAll,
  removeVolume,
  reorderVolume,
  resizeEnd,
  setActive,
  setGuard,
  setLabel,
  setLetter,
  sizeRange,
  splitVolume,
  type Bounds,
  type LaidVolume,
  type Layout,
} from '@/core/layout';
import { newVolumeSpec } from '@/core/goal';
import { formatSize, readSize, type SizeContext } from '@/core/size';
import { isCoreError } from '@/core/errors';
import { pickFiles, saveList } from '../bench';
import { saveJobFile, savePicture } from '../papers';
import { ask, edit, look, openFiles, redoEdit, undoEdit, type BenchDisk, type Current } from '@/state';

/** Where a command stands in the palette: what was typed as words to it first, then the volume in hand. */
export type CommandGroup = 'typed' | 'volume' | 'plan' | 'others' | 'go' | 'bench';

export interface Command {
  readonly name: string;
  readonly group: CommandGroup;
  readonly act: () => void;
  /** The key that does the same. */
  readonly keys?: string;
  /** Other words that people use for it. */
  readonly words?: string;
}

const STAGES = ['look', 'divide', 'review', 'run', 'prove'] as const;
const MOST_PARTS = 4;
const LOOKS = [
  ['Scan every sector of this disk', 'scan', 'bad sectors read faults check health'],
  ['Measure how fast this disk is', 'speed', 'benchmark throughput slow'],
  ['Findings of the checks, and what mends them', 'findings', 'errors repair fix damaged'],
  ['Search for lost volumes', 'lost', 'recover deleted missing undelete find'],
] as const;

/** Commands that are there whatever is in hand. */
export function generalCommands(
  disks: readonly BenchDisk[],
  current: Current | undefined,
  help: () => void,
): Command[] {
  const go = (name: string, act: () => void, words = ''): Command => ({ name, group: 'go', act, words });
  const bench = (name: string, act: () => void, words: string): Command => ({ name, group: 'bench', act, words });
  const stages = STAGES.map((stage) =>
    go(`Go to ${stage.charAt(0).toUpperCase()}${stage.slice(1)}`, () => look({ stage })),
  );
  return [
    go('Go to the bench', () => look({ stage: 'bench' }), 'home start disks'),
    ...(current ? stages : []),
    ...disks
      .filter((d) => d.status === 'open')
      .map(({ stored: { id, name } }) =>
        go(`Take ${name} in hand`, () => look({ currentId: id, stage: 'divide', selected: undefined }), 'disk switch'),
      ),
    bench('Open a disk image or a job…', () => void pickFiles(openFiles), 'load file iso img raw'),
    bench('Save the list of all volumes as CSV', () => saveList(disks), 'export table spreadsheet inventory'),
    bench('Show sizes in GiB (1024)', () => look({ units: 'binary' }), 'units'),
    bench('Show sizes in GB (1000)', () => look({ units: 'decimal' }), 'units'),
    bench('Light theme', () => look({ theme: 'light' }), 'appearance bright day mode'),
    bench('Dark theme', () => look({ theme: 'dark' }), 'appearance night mode'),
    { ...bench('Help', help, 'guide keys shortcuts manual how'), keys: '?' },
  ];
}

/** Edits of the plan of the disk in hand. `text` is what was typed, which may hold a size, a label or a letter. */
export function planCommands(current: Current, selected: LaidVolume | undefined, text: string): Command[] {
  const { id, job, disk } = current;
  if (!job || !disk.survey) return [];
  const { past, future, present } = job.history;
  const divide = (act: () => void) => () => {
    look({ stage: 'divide' });
    act();
  };
  const plan = (name: string, act: () => void, words: string, keys?: string): Command => ({
    ...{ name, group: 'plan', act, words },
    ...(keys ? { keys } : {}),
  });
  const back = past.at(-1);
  const forth = future[0];
  return [
    ...(selected ? typedCommands(id, present, boundsOf(disk.survey), selected, text, divide) : []),
    ...(selected ? volumeCommands(id, present, disk, selected, divide) : []),
    ...(back ? [plan(`Undo: ${back.name}`, () => undoEdit(id), 'back revert', 'Ctrl Z')] : []),
    ...(forth ? [plan(`Redo: ${forth.name}`, () => redoEdit(id), 'again', 'Ctrl Y')] : []),
    plan(
      'Goals: what shall it become',
      divide(() => ask({ kind: 'goals' })),
      'template preset proposal',
      'G',
    ),
    plan(
      'Copy a volume or a whole disk to here…',
      divide(() => ask({ kind: 'copy' })),
      'clone duplicate migrate replace ssd',
      'C',
    ),
    plan(
      'Wipe: unallocated space, free space, a whole disk…',
      divide(() => ask({ kind: 'wipe' })),
      'erase shred overwrite secure zero destroy',
      'W',
    ),
    ...LOOKS.map(([name, tab, words]) => plan(name, () => look({ stage: 'look', tab }), words)),
    plan('Save the job as a file', () => saveJobFile(current), 'export json plan'),
    plan('Save the picture of this disk as SVG', () => savePicture(current), 'export drawing image'),
    plan(
      'Remove all volumes',
      divide(() => edit(id, removeAll)),
      'delete everything clear empty',
    ),
  ];
}

type Divided = (act: () => void) => () => void;

/** What the words that were typed come to, as far as they are a size, a label or a letter. */
function typedCommands(
  id: string,
  planned: Layout,
  bounds: Bounds,
  volume: LaidVolume,
  text: string,
  divide: Divided,
): Command[] {
  const name = nameOf(volume);
  const typed = (words: string, act: () => void): Command => ({ name: words, group: 'typed', act: divide(act) });
  const label = /^\s*(?:label|rename|call(?: it)?|name)\s+(?:to\s+|it\s+)?(.+?)\s*$/i.exec(text)?.[1];
  if (label) return [typed(`Label ${name} ${label}`, () => edit(id, (layout) => setLabel(layout, volume.id, label)))];
  const letter = /^\s*letter\s+([a-z])\s*:?\s*$/i.exec(text)?.[1]?.toUpperCase();
  if (letter)
    return [
      typed(`Give ${name} the letter ${letter}`, () => edit(id, (layout) => setLetter(layout, volume.id, letter))),
    ];
  const made = /^\s*(?:new|create|add)\s+([\d.,]+\s*[a-z%]+)\s*(.*?)\s*$/i.exec(text);
  if (made) return newCommands(id, planned, bounds, made[1]!, made[2]!, typed);
  const keep = /^\s*(?:split|divide|cut)\b/i.test(text);
  const bytes = sizeIn(keep ? text.replace(/^\s*\S+/, '') : text, sizeRange(planned, bounds, volume));
  if (bytes === undefined) return [];
  if (!keep)
    return [
      typed(`Resize ${name} to ${formatSize(bytes)}`, () =>
        edit(id, () => resizeEnd(planned, bounds, volume.id, bytes)),
      ),
    ];
  const rest = newVolumeSpec(volume.length - bytes, planned.sectorSize, volume.fileSystem);
  return [
    typed(`Split ${name}: it keeps ${formatSize(bytes)}`, () =>
      edit(id, () => splitVolume(planned, bounds, volume.id, { keep: bytes, parts: [rest] })),
    ),
  ];
}

/** A new volume of a size, with a label where there is one, in the first stretch that has room for it. */
function newCommands(
  id: string,
  planned: Layout,
  bounds: Bounds,
  wish: string,
  label: string,
  typed: (words: string, act: () => void) => Command,
): Command[] {
  const gaps = gapsOf(planned);
  const whole = Math.max(0, ...gaps.map((g) => g.end - g.start));
  const size = sizeIn(wish, { whole, rest: whole });
  const gap = gaps.find((g) => g.end - g.start >= (size ?? Infinity));
  if (size === undefined || !gap) return [];
  const letter = nextLetter(planned);
  const spec = { ...newVolumeSpec(size, planned.sectorSize, undefined), label, size, ...(letter ? { letter } : {}) };
  return [
    typed(`New volume of ${formatSize(size)}${label ? `, ${label}` : ''}`, () =>
      edit(id, (layout) => createVolume(layout, bounds, gap, spec)),
    ),
  ];
}

function volumeCommands(
  id: string,
  planned: Layout,
  { survey }: BenchDisk,
  volume: LaidVolume,
  divide: Divided,
): Command[] {
  const bounds = boundsOf(survey!);
  const name = nameOf(volume);
  const others = planned.volumes.filter((v) => v.id !== volume.id);
  const own = (words: string, act: () => void, other: string, keys?: string): Command => ({
    ...{ name: words, group: 'volume', act: divide(act), words: other },
    ...(keys ? { keys } : {}),
  });
  return [
    own(`Split ${name} by sizes…`, () => ask({ kind: 'split' }), 'divide cut partition', 'S'),
    ...Array.from({ length: MOST_PARTS - 1 }, (_, i) => i + 2).map((count) =>
      own(
        `Split ${name} in ${count} equal parts`,
        () => edit(id, () => equalParts(planned, bounds, volume, count)),
        'divide cut partition halves',
      ),
    ),
    own(
      `Make ${name} bigger…`,
      () => ask({ kind: 'ways', wish: 'grow' }),
      'extend enlarge expand grow resize more',
      'B',
    ),
    own(`Make room behind ${name}…`, () => ask({ kind: 'ways', wish: 'free' }), 'unallocated free space move shift'),
    own(`Move folders of ${name}…`, () => ask({ kind: 'folders' }), 'transfer files documents park', 'F'),
    own(
      `Take folders of another disk to ${name}…`,
      () => ask({ kind: 'take' }),
      'transfer files import bring copy move from',
    ),
    own(`Merge ${name} into another volume…`, () => ask({ kind: 'merge' }), 'join combine unite'),
    own(`Advice on ${name}`, () => ask({ kind: 'advice' }), 'file system cluster slack recommend', 'A'),
    own(
      volume.guarded ? `Lift the guard of ${name}` : `Guard ${name}`,
      () => edit(id, () => setGuard(planned, volume.id, !volume.guarded)),
      'lock protect unlock',
    ),
    ...(planned.table === 'mbr'
      ? [
          own(
            volume.active ? `Make ${name} inactive` : `Make ${name} active`,
            () => edit(id, () => setActive(planned, volume.id, !volume.active)),
            'boot start bootable flag',
          ),
        ]
      : []),
    own(
      `Format ${name}`,
      () => edit(id, () => formatVolume(planned, volume.id, { fileSystem: volume.fileSystem })),
      'erase initialise file system',
    ),
    own(`Remove ${name}`, () => edit(id, () => removeVolume(planned, volume.id)), 'delete drop erase'),
    ...others.map((other) =>
      own(
        `Put ${name} before ${nameOf(other)}`,
        () => edit(id, () => reorderVolume(planned, bounds, volume.id, other.id)),
        'move order swap exchange',
      ),
    ),
    own(
      `Put ${name} last`,
      () => edit(id, () => reorderVolume(planned, bounds, volume.id, undefined)),
      'move end order',
    ),
    ...others.map((other): Command => ({
      name: `Take ${nameOf(other)} in hand`,
      group: 'others',
      act: divide(() => look({ selected: other.id })),
      words: 'select volume',
    })),
  ];
}

function equalParts(planned: Layout, bounds: ReturnType<typeof boundsOf>, volume: LaidVolume, count: number) {
  const share = volume.length / count;
  const parts = Array.from({ length: count - 1 }, () => newVolumeSpec(share, planned.sectorSize, volume.fileSystem));
  return splitVolume(planned, bounds, volume.id, { keep: share, parts });
}

/** A size that was typed, alone or behind “to”. */
function sizeIn(text: string, range: SizeContext): number | undefined {
  const wish = text
    .trim()
    .split(/\bto\b/i)
    .at(-1)!
    .trim();
  if (!/^[+\-]?[\d.,\s]+\s*[a-z%]/i.test(wish)) return undefined;
  try {
    return readSize(wish, range).bytes;
  } catch (error) {
    if (isCoreError(error)) return undefined;
    throw error;
  }
}
