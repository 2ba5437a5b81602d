/** Steps in plain words: what happens, and what of it matters. */
import { findKind } from '@/core/fs';
import { formatSize, spaced, type UnitSystem } from '@/core/size';
import type { Loss, Step } from './steps';

/** A step as a line and a line of detail. */
export interface StepWords {
  readonly title: string;
  readonly detail: string;
}

const files = (n: number): string => `${spaced(n)} file${n === 1 ? '' : 's'}`;

/** What is lost, in files and bytes. */
export function lossWords(loss: Loss, units: UnitSystem = 'binary'): string {
  return loss.files > 0 ? `${files(loss.files)}, ${formatSize(loss.bytes, units)}` : formatSize(loss.bytes, units);
}

const TABLE_WORDS = { none: 'no table', mbr: 'master boot record', gpt: 'GUID table' } as const;

function tableWords({ table, from, volumes, mends }: Extract<Step, { kind: 'table' }>): StepWords {
  const kind = TABLE_WORDS[table.kind];
  const count = `${volumes} volume${volumes === 1 ? '' : 's'}`;
  const mended = mends.length > 0 ? `, puts right: ${mends.join(' ')}` : '';
  if (from === table.kind) {
    const logical =
      table.kind === 'mbr' && table.logicals.length > 0 ? `, ${table.logicals.length} of them logical` : '';
    const copies = table.kind === 'gpt' ? ', both copies' : '';
    return { title: 'Write the partition table', detail: `${count}${logical}${copies}${mended}` };
  }
  const title = from === 'none' ? `Write a new ${kind}` : `Convert the ${TABLE_WORDS[from]} to a ${kind}`;
  return { title, detail: `${count}, no file is touched` };
}

/** The words for a step. */
export function stepWords(step: Step, units: UnitSystem = 'binary'): StepWords {
  const size = (bytes: number): string => formatSize(bytes, units);
  switch (step.kind) {
    case 'check':
      return step.by === 'files'
        ? { title: `Check ${step.name} and read its files`, detail: `${files(step.files)}, nothing written` }
        : {
            title: `Read ${step.name} whole`,
            detail: 'its files can’t be read for certain, so it is compared byte for byte',
          };
    case 'shrink':
      return {
        title: `Shrink ${step.name} to ${size(step.to)}`,
        detail:
          step.cost.carries > 0
            ? `${size(step.cost.carries)} sits past the new end and is carried in`
            : 'nothing sits past the new end',
      };
    case 'move': {
      const way = step.to < step.at.start ? 'towards the start' : 'towards the end';
      const smaller = step.shrinkTo === undefined ? '' : `, made ${size(step.shrinkTo)} long on the way`;
      return {
        title: step.aside
          ? `Set ${step.name} aside${smaller}`
          : `Move ${step.name} ${size(Math.abs(step.to - step.at.start))} ${way}${smaller}`,
        detail: step.whole
          ? `${size(step.cost.carries)} is carried, every byte: what is in use of it is not known`
          : `${size(step.cost.carries)} in use is carried, free space is not`,
      };
    }
    case 'park':
      return {
        title: `Set ${step.name} aside on ${step.on.name}`,
        detail: `${size(step.cost.carries)} is carried to unallocated space there, and is nowhere else meanwhile`,
      };
    case 'fetch':
      return {
        title: `Bring ${step.name} back from ${step.from.name}`,
        detail: `${size(step.cost.carries)} is carried`,
      };
    case 'remove':
      return { title: `Remove ${step.name}`, detail: `lost: ${lossWords(step.loses, units)}` };
    case 'table':
      return tableWords(step);
    case 'grow':
      return {
        title: `Grow ${step.name} to ${size(step.at.length)}`,
        detail: `from ${size(step.from)}, no file is touched`,
      };
    case 'make': {
      const title = findKind(step.fileSystem)?.title ?? step.fileSystem;
      const lost = step.loses ? `, lost: ${lossWords(step.loses, units)}` : '';
      return { title: `Make ${step.name}, ${size(step.at.length)} ${title}`, detail: `${step.format} format${lost}` };
    }
    case 'relabel':
      return {
        title: `Label ${step.name}`,
        detail: step.label ? `the label becomes ${step.label}` : 'the label is taken away',
      };
    case 'mark':
      return {
        title: `Have ${step.name} checked at its system’s next start`,
        detail: 'its mark of a clean end is taken away, after the proof',
      };
    case 'prove':
      return {
        title: `Prove ${step.name}: compare every ${step.by === 'files' ? 'file' : 'byte'}`,
        detail: `${size(step.cost.reads)} read again`,
      };
  }
}

/** Why a step is there, and there. */
export function stepReason(step: Step): string {
  switch (step.kind) {
    case 'check':
      return step.changes
        ? 'Nothing is built on a fault, and what is read now is the measure for the proof.'
        : 'It is not changed. It is read now so that it can be shown to be the same afterwards.';
    case 'shrink':
      return 'First of all changes: the room it frees is needed by those that follow.';
    case 'move':
      return step.aside
        ? 'Volumes stand in each other’s way. This one makes room and is carried on later.'
        : 'Its new place is free by now. Each piece is safe before the place it came from is written over.';
    case 'park':
      return 'Volumes stand in each other’s way, and this disk has no room to set one aside.';
    case 'fetch':
      return 'Its new place is free by now.';
    case 'remove':
      return 'Its room is given to others. The table no longer names it once it is written.';
    case 'table':
      return 'Written when all that is kept is in its place, in one go.';
    case 'make':
      return 'Nothing that is kept lies there any more.';
    case 'grow':
      return 'Last of all changes: the room behind it is free only now.';
    case 'relabel':
      return 'A label is changed where the volume has its final size.';
    case 'mark':
      return 'The proof is done by then, so the mark can’t hide anything from it.';
    case 'prove':
      return 'The same reading as at the start, compared with it one by one.';
  }
}

/** Seconds as a technician says them: 5 s, 3 min, 2 h 10 min. */
export function durationWords(seconds: number): string {
  if (seconds < 1) return 'under 1 s';
  if (seconds < 90) return `${Math.round(seconds)} s`;
  const minutes = Math.round(seconds / 60);
  if (minutes < 90) return `${minutes} min`;
  const rest = minutes % 60;
  return rest ? `${Math.floor(minutes / 60)} h ${rest} min` : `${minutes / 60} h`;
}
