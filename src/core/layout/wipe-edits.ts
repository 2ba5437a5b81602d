/** What is to be written over: an edit of a plan like any other. */
import type { Pattern } from '@/core/health';
import type { Edited } from './edits';
import { blankLayout, nameOf, volumeOf, type Layout, type VolumeId } from './layout';
import { refuse } from './refusals';

/** What of a disk is written over. */
export type WipeTarget =
  | { readonly what: 'unallocated' }
  | { readonly what: 'disk' }
  /** The free space of a volume that is kept. */
  | { readonly what: 'free'; readonly volume: VolumeId }
  /** What a volume that goes held, by its number. */
  | { readonly what: 'volume'; readonly number: number; readonly name: string };

/** What is to be written over, and how. Plain data. */
export type WipeWish = WipeTarget & {
  readonly passes: readonly Pattern[];
  /** The share that is read back and compared, from 0 to 1. */
  readonly compare: number;
};

const same = (a: WipeTarget, b: WipeTarget): boolean =>
  a.what === b.what &&
  (a.what !== 'free' || (b.what === 'free' && a.volume === b.volume)) &&
  (a.what !== 'volume' || (b.what === 'volume' && a.number === b.number));

/** What is asked for in words. */
export function wipeTargetWords(layout: Layout, target: WipeTarget): string {
  if (target.what === 'unallocated') return 'Wipe what is unallocated';
  if (target.what === 'disk') return 'Wipe the whole disk';
  if (target.what === 'volume') return `Wipe what ${target.name} held`;
  const volume = layout.volumes.find((v) => v.id === target.volume);
  return `Wipe the free space of ${volume ? nameOf(volume) : 'a volume'}`;
}

/** Has something written over; the same once more takes the place of the first. */
export function addWipe(layout: Layout, wish: WipeWish): Edited {
  if (wish.what === 'free') {
    const volume = volumeOf(layout, wish.volume);
    if (volume.origin.kind !== 'kept' || volume.format) return refuse('wipe.new', { volume: nameOf(volume) });
    if (volume.fileSystem === 'unknown') return refuse('wipe.unknown', { volume: nameOf(volume) });
    if (volume.guarded) return refuse('guarded', { volume: nameOf(volume) });
  }
  if (wish.what === 'volume' && layout.volumes.some((v) => v.origin.kind === 'kept' && v.origin.number === wish.number))
    return refuse('wipe.stays', { volume: wish.name });
  const wipes = [...(layout.wipes ?? []).filter((w) => !same(w, wish)), wish];
  return { ok: true, layout: { ...layout, wipes }, name: wipeTargetWords(layout, wish), notes: [] };
}

/** Everything on the disk goes, its table with it, and all of it is written over. */
export function wipeDisk(layout: Layout, how: Pick<WipeWish, 'passes' | 'compare'>): Edited {
  const wipes: WipeWish[] = [{ what: 'disk', ...how }];
  return { ok: true, layout: { ...blankLayout(layout), wipes }, name: 'Wipe the whole disk', notes: [] };
}

/** Takes a wish back. */
export function removeWipe(layout: Layout, target: WipeTarget): Edited {
  const wipes = (layout.wipes ?? []).filter((w) => !same(w, target));
  const { wipes: _old, ...rest } = layout;
  const next = wipes.length > 0 ? { ...rest, wipes } : rest;
  return { ok: true, layout: next, name: `No longer: ${wipeTargetWords(layout, target)}`, notes: [] };
}
