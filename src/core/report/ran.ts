/** What a run sets out from and to, kept for the paper about it. */
import { knownInfo, type Survey } from '@/core/inspect';
import type { LaidVolume, Layout } from '@/core/layout';
import type { Step } from '@/core/plan';
import { comingBy, usedAfter, type UsedOf } from './use';

/** The disk before a run and as it was planned, with what was in use of each volume that was kept, by its number then. */
export interface RanLayouts {
  readonly before: Layout;
  readonly planned: Layout;
  readonly used: Readonly<Record<number, number>>;
  /** Bytes of files that come to planned volumes, less those that go. */
  readonly coming?: Readonly<Record<string, number>> | undefined;
}

/** What a run is about to do, as its certificate will show it. */
export function ranLayouts(survey: Survey, before: Layout, planned: Layout, steps: readonly Step[]): RanLayouts {
  const used = survey.volumes.flatMap((v) => {
    const bytes = knownInfo(v)?.used;
    return bytes === undefined ? [] : [[v.number, bytes] as const];
  });
  return { before, planned, used: Object.fromEntries(used), coming: Object.fromEntries(comingBy(steps, planned)) };
}

/** How much of each volume was in use when a run began. */
export const usedIn =
  ({ used }: Pick<RanLayouts, 'used'>): UsedOf =>
  ({ origin, format }: LaidVolume) => {
    if (format || origin.kind === 'new') return 0;
    return origin.kind === 'copy' ? origin.used : used[origin.number];
  };

/** How much of each volume is in use when it is over. */
export const usedInThen = ({ used, coming = {} }: Pick<RanLayouts, 'used' | 'coming'>): UsedOf =>
  usedAfter(usedIn({ used }), new Map(Object.entries(coming)));
