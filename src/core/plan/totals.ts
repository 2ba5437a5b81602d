/** What the steps of a plan come to: room they are lent, disks they read, costs and losses. */
import { factsOf } from '@/core/inspect';
import type { PlanSource } from './plan';
import { stepLent, stepReads, type LentRoom, type Loss, type Step, type StepCost } from './steps';
import type { SourceDisk } from './subjects';

const NOTHING: Loss = { files: 0, bytes: 0 };

/** The stretches of other disks that steps take, each told once. */
export function lentFor(steps: readonly Step[]): LentRoom[] {
  const away = steps.flatMap(stepLent);
  return away.filter(
    (a, i) => away.findIndex((b) => b.disk === a.disk && b.start === a.start && b.length === a.length) === i,
  );
}

/** The disks that something is copied from, as they were looked at. */
export function sourcesFor(steps: readonly Step[], disks: readonly SourceDisk[]): PlanSource[] {
  const read = new Set(steps.flatMap(stepReads));
  return disks
    .filter(({ disk }) => read.has(disk))
    .map(({ disk, name, survey }) => ({ disk, name, relies: factsOf(survey) }));
}

/** What all steps together take away. */
export function sumLosses(steps: readonly Step[]): Loss {
  const losses = steps.flatMap((s) => ('loses' in s && s.loses ? [s.loses] : []));
  return losses.reduce((a, b) => ({ files: a.files + b.files, bytes: a.bytes + b.bytes }), NOTHING);
}

/** What all steps together cost. */
export function sumCosts(steps: readonly Step[]): StepCost {
  return steps.reduce(
    (sum, { cost }) => ({
      reads: sum.reads + cost.reads,
      carries: sum.carries + cost.carries,
      writes: sum.writes + cost.writes,
      seconds: sum.seconds + cost.seconds,
    }),
    { reads: 0, carries: 0, writes: 0, seconds: 0 },
  );
}
