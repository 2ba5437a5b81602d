/** What a run sets out from and to, kept for the paper about it. */
import { knownInfo, type Survey } from '@/core/inspect';
import type { Layout } from '@/core/layout';

/** The disk before a run and as it was planned, with what was in use of each volume that was kept, by its number then. */
export interface RanLayouts {
  readonly before: Layout;
  readonly planned: Layout;
  readonly used: Readonly<Record<number, number>>;
}

/** What a run is about to do, as its certificate will show it. */
export function ranLayouts(survey: Survey, before: Layout, planned: Layout): RanLayouts {
  const used = survey.volumes.flatMap((v) => {
    const bytes = knownInfo(v)?.used;
    return bytes === undefined ? [] : [[v.number, bytes] as const];
  });
  return { before, planned, used: Object.fromEntries(used) };
}
