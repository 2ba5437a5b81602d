/** What a target wants written over, as wishes of the layout. */
import type { Layout, WipeTarget, WipeWish } from '@/core/layout';
import { invalid, type Target } from './target';

type TargetWipe = Target['wipe'][number];

/** Shares of what is read back. */
function shareOf(compare: string): number {
  if (compare === 'all') return 1;
  return compare === 'none' ? 0 : 1 / Number(compare.slice('1/'.length));
}

/** @throws CoreError `target.invalid` */
export function wipeWishes({ wipe }: Target, layout: Layout): WipeWish[] {
  return wipe.map((entry): WipeWish => {
    const passes = typeof entry.pattern === 'string' ? [entry.pattern] : entry.pattern;
    return { ...targetOf(entry, layout), passes, compare: shareOf(entry.compare) };
  });
}

function targetOf({ what, volume }: TargetWipe, layout: Layout): WipeTarget {
  if (what === 'unallocated' || what === 'disk') {
    if (volume !== undefined) throw invalid(`wipe: “${what}” names no volume`);
    return { what };
  }
  if (volume === undefined) throw invalid(`wipe: “${what}” needs the number of a volume`);
  const kept = layout.volumes.find((v) => v.origin.kind === 'kept' && v.origin.number === volume);
  if (what === 'volume') {
    if (kept && !kept.format) throw invalid(`wipe: volume ${volume} is kept`);
    return { what, number: volume, name: `volume ${volume}` };
  }
  if (!kept) throw invalid(`wipe: volume ${volume} is not kept`);
  return { what, volume: kept.id };
}
