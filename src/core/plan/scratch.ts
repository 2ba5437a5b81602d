/** Room on other disks: what a disk can offer, and what a plan takes of it. */
import { hasErrors } from '@/core/errors';
import type { Survey } from '@/core/inspect';
import { ALIGNMENT } from '@/core/layout';
import { ceilTo } from '@/core/size';
import type { Plan, Scratch } from './steps';

/** The unallocated stretches of a disk; none where its table is damaged and so nothing is sure to be unallocated. */
export function scratchOn(survey: Survey, disk: string, name: string): Scratch[] {
  if (hasErrors(survey.findings)) return [];
  return survey.unallocated.flatMap(({ start: from, end }) => {
    // The first sectors are a table's, even where there is none yet.
    const start = Math.max(ALIGNMENT, ceilTo(from, ALIGNMENT));
    return end > start ? [{ disk, name, start, length: end - start, sectorSize: survey.sectorSize }] : [];
  });
}

/** The other disks that a plan sets volumes aside on, each with the end of the last stretch it takes there. */
export function placesElsewhere({ steps }: Plan): Map<string, number> {
  const ends = new Map<string, number>();
  for (const step of steps) {
    if (step.kind !== 'park') continue;
    const end = step.on.start + step.at.length;
    ends.set(step.on.disk, Math.max(end, ends.get(step.on.disk) ?? end));
  }
  return ends;
}
