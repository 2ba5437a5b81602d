/** A run as each volume goes through it: what was carried of it, and whether it was checked and proven. */
import { isHere, type Place } from '@/core/place';
import type { LaidVolume, Layout, VolumeId } from '@/core/layout';
import type { Step } from '../steps';

/** How far something is: it waits, is going on, or is done; undefined where it is not done with this volume at all. */
type Mark = 'waiting' | 'going' | 'done';

export interface VolumeCourse {
  /** 0 to 1 of what is carried of it; undefined where nothing is. */
  readonly carried?: number;
  readonly checked?: Mark;
  readonly proven?: Mark;
}

/** How far a run is: steps before `step` are over, and a share of that one is. */
export interface RunPoint {
  readonly step: number;
  readonly share: number;
}

/** By volume of the planned layout. */
export function coursesByVolume(
  steps: readonly Step[],
  now: Layout,
  planned: Layout,
  point: RunPoint,
): ReadonlyMap<VolumeId, VolumeCourse> {
  return new Map(planned.volumes.map((v) => [v.id, courseOf(steps, v, startNow(now, v), point)]));
}

const startNow = (now: Layout, { id }: LaidVolume): number | undefined => now.volumes.find((v) => v.id === id)?.start;

function courseOf(
  steps: readonly Step[],
  volume: LaidVolume,
  before: number | undefined,
  { step: at, share }: RunPoint,
): VolumeCourse {
  const doneOf = (i: number): number => (i < at ? 1 : i === at ? share : 0);
  const markOf = (i: number): Mark => (i < at ? 'done' : i === at ? 'going' : 'waiting');
  const isOf = (place: Place, start: number | undefined): boolean => isHere(place) && place.start === start;
  let [carries, carried] = [0, 0];
  let checked: Mark | undefined;
  let proven: Mark | undefined;
  for (const [i, step] of steps.entries()) {
    if (step.kind === 'check' && isOf(step.at, before)) checked = markOf(i);
    if (step.kind === 'prove' && isOf(step.at, volume.start)) proven = markOf(i);
    if (!isCarriedBy(step, volume, before)) continue;
    // Where nothing is in use, what is left of the step still is to be seen.
    const weight = Math.max(1, step.cost.carries);
    carries += weight;
    carried += weight * doneOf(i);
  }
  return {
    ...(carries > 0 ? { carried: carried / carries } : {}),
    ...(checked ? { checked } : {}),
    ...(proven ? { proven } : {}),
  };
}

function isCarriedBy(step: Step, { origin, start }: LaidVolume, before: number | undefined): boolean {
  if (step.kind === 'carry')
    return origin.kind === 'kept' && !step.keeps
      ? step.number === origin.number
      : isHere(step.to) && step.to.start === start;
  if (step.kind === 'shrink') return step.at.start === before;
  return (step.kind === 'transfer' || step.kind === 'adopt') && isHere(step.at) && step.at.start === start;
}
