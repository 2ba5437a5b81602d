/** Files, losses and durations in plain words. */
import { formatSize, spaced, type UnitSystem } from '@/core/size';

/** So many files. */
export const filesWords = (n: number): string => `${spaced(n)} file${n === 1 ? '' : 's'}`;

/** What is lost, in files and bytes. */
export function lossWords(loss: { files: number; bytes: number }, units: UnitSystem = 'binary'): string {
  return loss.files > 0 ? `${filesWords(loss.files)}, ${formatSize(loss.bytes, units)}` : formatSize(loss.bytes, units);
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
