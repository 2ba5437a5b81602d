/** Room on other disks: what a disk can offer, and what a plan takes of it. */
import { hasErrors } from '@/core/errors';
import type { Survey } from '@/core/inspect';
import { ALIGNMENT } from '@/core/layout';
import type { DiskId, Place } from '@/core/place';
import { ceilTo } from '@/core/size';
import type { Plan } from './plan';
import type { LentRoom } from './steps';

/** A stretch of unallocated space on another disk, where volumes may be set aside. */
export interface Scratch extends LentRoom {
  readonly sectorSize: number;
}

/** The unallocated stretches of a disk; none where its table is damaged and so nothing is sure to be unallocated. */
export function scratchOn(survey: Survey, disk: DiskId, name: string): Scratch[] {
  if (hasErrors(survey.findings)) return [];
  return survey.unallocated.flatMap(({ start: from, end }) => {
    // The first sectors are a table's, even where there is none yet.
    const start = Math.max(ALIGNMENT, ceilTo(from, ALIGNMENT));
    return end > start ? [{ disk, name, start, length: end - start, sectorSize: survey.sectorSize }] : [];
  });
}

/** The other disks that a plan sets volumes aside on, each with the end of the last stretch it takes there. */
export function placesElsewhere({ lent }: Pick<Plan, 'lent'>): Map<DiskId, number> {
  const ends = new Map<DiskId, number>();
  for (const { disk, start, length } of lent) ends.set(disk, Math.max(start + length, ends.get(disk) ?? start));
  return ends;
}

/** Unallocated bytes in one piece for want of which a plan makes volumes smaller for a time. */
export function wantingIn({ steps }: Pick<Plan, 'steps'>): number | undefined {
  const shrinks = steps.flatMap((s) => (s.kind === 'shrink' ? [s.forWantOf ?? 0] : []));
  return Math.max(0, ...shrinks) || undefined;
}

/** All other disks that a plan works with: those it reads from, and those that lend it room. */
export const otherDisks = (plan: Pick<Plan, 'lent' | 'sources'>): Set<DiskId> =>
  new Set([...plan.sources.map((s) => s.disk), ...placesElsewhere(plan).keys()]);

/** Whether the stretches that a plan takes of a disk are still unallocated there. */
export function stillFree(survey: Survey, disk: DiskId, lent: readonly Place[]): boolean {
  const free = scratchOn(survey, disk, '');
  return lent.every(
    (l) => l.disk !== disk || free.some((f) => f.start <= l.start && l.start + l.length <= f.start + f.length),
  );
}
