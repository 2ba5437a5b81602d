/** Everything that can be done by name, with what it does to the volume in hand. */
import { boundsOf } from '@/core/inspect';
import {
  formatVolume,
  nameOf,
  removeAll,
  removeVolume,
  reorderVolume,
  resizeEnd,
  setActive,
  setGuard,
  sizeRange,
  splitVolume,
  type LaidVolume,
  type Layout,
} from '@/core/layout';
import { newVolumeSpec } from '@/core/goal';
import { formatSize, readSize, type SizeContext } from '@/core/size';
import { isCoreError } from '@/core/errors';
import { pickFile, saveList } from '../bench';
import { saveJobFile, savePicture } from '../papers';
import { ask, edit, look, openFile, redoEdit, undoEdit, type BenchDisk, type Current } from '@/state';

export interface Command {
  readonly name: string;
  readonly act: () => void;
}

const STAGES = ['look', 'divide', 'review', 'run', 'prove'] as const;
const MOST_PARTS = 4;
const LOOKS = [
  ['Scan every sector of this disk', 'scan'],
  ['Measure how fast this disk is', 'speed'],
  ['Findings of the checks, and what mends them', 'findings'],
  ['Search for lost volumes', 'lost'],
] as const;

/** Commands that are there whatever is in hand. */
export function generalCommands(
  disks: readonly BenchDisk[],
  current: Current | undefined,
  help: () => void,
): Command[] {
  const stages = STAGES.map((stage) => ({
    name: `Go to ${stage.charAt(0).toUpperCase()}${stage.slice(1)}`,
    act: () => look({ stage }),
  }));
  return [
    { name: 'Go to the bench', act: () => look({ stage: 'bench' }) },
    ...(current ? stages : []),
    ...disks
      .filter((d) => d.status === 'open')
      .map((d) => ({
        name: `Take ${d.stored.name} in hand`,
        act: () => look({ currentId: d.stored.id, stage: 'divide', selected: undefined }),
      })),
    { name: 'Open a disk image or a job…', act: () => void pickFile(openFile) },
    { name: 'Save the list of all volumes as CSV', act: () => saveList(disks) },
    { name: 'Show sizes in GiB (1024)', act: () => look({ units: 'binary' }) },
    { name: 'Show sizes in GB (1000)', act: () => look({ units: 'decimal' }) },
    { name: 'Light theme', act: () => look({ theme: 'light' }) },
    { name: 'Dark theme', act: () => look({ theme: 'dark' }) },
    { name: 'Help', act: help },
  ];
}

/** Edits of the plan of the disk in hand. */
export function planCommands(current: Current, selected: LaidVolume | undefined, text: string): Command[] {
  const { id, job, disk } = current;
  if (!job || !disk.survey) return [];
  const { past, future, present } = job.history;
  const divide = (act: () => void) => () => {
    look({ stage: 'divide' });
    act();
  };
  const back = past.at(-1);
  const forth = future[0];
  return [
    ...(back ? [{ name: `Undo: ${back.name}`, act: () => undoEdit(id) }] : []),
    ...(forth ? [{ name: `Redo: ${forth.name}`, act: () => redoEdit(id) }] : []),
    { name: 'Goals: what shall it become', act: divide(() => ask({ kind: 'goals' })) },
    { name: 'Copy a volume or a whole disk to here…', act: divide(() => ask({ kind: 'copy' })) },
    { name: 'Wipe: unallocated space, free space, a whole disk…', act: divide(() => ask({ kind: 'wipe' })) },
    ...LOOKS.map(([name, tab]) => ({ name, act: () => look({ stage: 'look', tab }) })),
    { name: 'Save the job as a file', act: () => saveJobFile(current) },
    { name: 'Save the picture of this disk as SVG', act: () => savePicture(current) },
    { name: 'Remove all volumes', act: divide(() => edit(id, removeAll)) },
    ...(selected ? volumeCommands(id, present, disk, selected, text, divide) : []),
  ];
}

function volumeCommands(
  id: string,
  planned: Layout,
  { survey }: BenchDisk,
  volume: LaidVolume,
  text: string,
  divide: (act: () => void) => () => void,
): Command[] {
  const bounds = boundsOf(survey!);
  const name = nameOf(volume);
  const others = planned.volumes.filter((v) => v.id !== volume.id);
  const to = sizeIn(text, sizeRange(planned, bounds, volume));
  return [
    ...(to === undefined
      ? []
      : [
          {
            name: `Resize ${name} to ${formatSize(to)}`,
            act: divide(() => edit(id, () => resizeEnd(planned, bounds, volume.id, to))),
          },
        ]),
    ...Array.from({ length: MOST_PARTS - 1 }, (_, i) => i + 2).map((count) => ({
      name: `Split ${name} in ${count} equal parts`,
      act: divide(() => edit(id, () => equalParts(planned, bounds, volume, count))),
    })),
    { name: `Split ${name} by sizes…`, act: divide(() => ask({ kind: 'split' })) },
    { name: `Make ${name} bigger…`, act: divide(() => ask({ kind: 'ways', wish: 'grow' })) },
    { name: `Make room behind ${name}…`, act: divide(() => ask({ kind: 'ways', wish: 'free' })) },
    { name: `Move folders of ${name}…`, act: divide(() => ask({ kind: 'folders' })) },
    { name: `Merge ${name} into another volume…`, act: divide(() => ask({ kind: 'merge' })) },
    { name: `Advice on ${name}`, act: divide(() => ask({ kind: 'advice' })) },
    ...others.map((other) => ({
      name: `Put ${name} before ${nameOf(other)}`,
      act: divide(() => edit(id, () => reorderVolume(planned, bounds, volume.id, other.id))),
    })),
    {
      name: `Put ${name} last`,
      act: divide(() => edit(id, () => reorderVolume(planned, bounds, volume.id, undefined))),
    },
    {
      name: volume.guarded ? `Lift the guard of ${name}` : `Guard ${name}`,
      act: divide(() => edit(id, () => setGuard(planned, volume.id, !volume.guarded))),
    },
    ...(planned.table === 'mbr'
      ? [
          {
            name: volume.active ? `Make ${name} inactive` : `Make ${name} active`,
            act: divide(() => edit(id, () => setActive(planned, volume.id, !volume.active))),
          },
        ]
      : []),
    {
      name: `Format ${name}`,
      act: divide(() => edit(id, () => formatVolume(planned, volume.id, { fileSystem: volume.fileSystem }))),
    },
    { name: `Remove ${name}`, act: divide(() => edit(id, () => removeVolume(planned, volume.id))) },
    ...others.map((other) => ({
      name: `Take ${nameOf(other)} in hand`,
      act: divide(() => look({ selected: other.id })),
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
