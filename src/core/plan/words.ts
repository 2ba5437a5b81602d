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
    case 'remove':
      return { title: `Remove ${step.name}`, detail: `lost: ${lossWords(step.loses, units)}` };
    case 'table':
      return { title: 'Write the partition table', detail: `${step.entries.length} volumes, one sector` };
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
    case 'prove':
      return {
        title: `Prove ${step.name}: compare every ${step.by === 'files' ? 'file' : 'byte'}`,
        detail: `${size(step.cost.reads)} read again`,
      };
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
