/** Edits of one volume or several at once: each is one edit, to be undone as one. */
import { ceilTo, floorTo } from '@/core/size';
import { done, leastSize, replace, type Edited } from './edits';
import { ALIGNMENT, boundOf, endOf, isMade, nameOf, volumeOf } from './layout';
import type { Bounds, LaidVolume, Layout, VolumeId } from './layout';
import { settle } from './placement';
import { refuse, type Refusal } from './refusals';

/** Names as they are said one after the other: A, B and C. */
function listed(volumes: readonly LaidVolume[]): string {
  const names = volumes.map((v) => nameOf(v));
  return names.length < 2 ? names.join('') : `${names.slice(0, -1).join(', ')} and ${names.at(-1)!}`;
}

function chosen(layout: Layout, ids: readonly VolumeId[]): LaidVolume[] {
  return ids.map((id) => volumeOf(layout, id)).sort((a, b) => a.start - b.start);
}

function guardFault(volumes: readonly LaidVolume[]): Refusal | undefined {
  const guarded = volumes.find((v) => v.guarded);
  return guarded && refuse('guarded', { volume: nameOf(guarded) });
}

/** Takes several volumes out of the layout, or none of them; guarded ones only with the override. */
export function removeSeveral(layout: Layout, ids: readonly VolumeId[], override = false): Edited {
  const volumes = chosen(layout, ids);
  const fault = override ? undefined : guardFault(volumes);
  if (fault) return fault;
  if (layout.table === 'none') return refuse('table.none-to-leave', {});
  // What was to come to them has nowhere to go.
  const transfers = layout.transfers?.filter((t) => !ids.includes(t.to));
  const left = replace(layout, [], [...ids]);
  const settled = settle(transfers ? { ...left, transfers } : left, new Map());
  return settled.ok ? done(settled.layout, `Remove ${listed(volumes)}`) : settled;
}

/** Takes a volume out of the layout. A guarded one needs `override`. */
export const removeVolume = (layout: Layout, id: VolumeId, override = false): Edited =>
  removeSeveral(layout, [id], override);

/** Guards several volumes, or lifts their guards. */
export function guardSeveral(layout: Layout, ids: readonly VolumeId[], guarded: boolean): Edited {
  const volumes = chosen(layout, ids);
  const name = guarded
    ? `Guard ${listed(volumes)}`
    : `Lift the ${volumes.length === 1 ? 'guard' : 'guards'} of ${listed(volumes)}`;
  return done(
    replace(
      layout,
      volumes.map((v) => ({ ...v, guarded })),
    ),
    name,
  );
}

/** Guards a volume against changes, or lifts the guard. */
export const setGuard = (layout: Layout, id: VolumeId, guarded: boolean): Edited => guardSeveral(layout, [id], guarded);

/**
 * Gives neighbours the same size, out of all they have together with what is unallocated between them. One that can't be
 * so small, or so large, gets what comes nearest, and the others share the rest.
 */
export function equalShares(layout: Layout, bounds: Bounds, ids: readonly VolumeId[]): Edited {
  const volumes = chosen(layout, ids);
  const fault = guardFault(volumes);
  if (fault) return fault;
  if (layout.table === 'none' || volumes.length < 2) return refuse('shares.few', {});
  const [first, last] = [volumes[0]!, volumes.at(-1)!];
  const between = layout.volumes.find((v) => v.start > first.start && v.start < last.start && !ids.includes(v.id));
  if (between) return refuse('shares.apart', { volume: nameOf(between) });
  // The boot record of a logical volume has its place before it.
  const records = volumes.filter((v, i) => v.logical && i > 0).length * ALIGNMENT;
  const start = ceilTo(first.start, ALIGNMENT);
  const whole = endOf(last) - start - records;
  const lengths = sharesOf(
    volumes.map((v) => limitsOf(v, bounds)),
    whole,
  );
  if (!lengths) return refuse('shares.impossible', { volumes: listed(volumes), bytes: whole });
  let at = start;
  const changed = volumes.map((volume, i): LaidVolume => {
    if (volume.logical && i > 0) at += ALIGNMENT;
    const next = { ...volume, start: at, length: lengths[i]! };
    at += lengths[i]!;
    return next;
  });
  const settled = settle(replace(layout, changed), bounds);
  return settled.ok ? done(settled.layout, `Equal shares of ${listed(volumes)}`, settled.notes) : settled;
}

interface Limits {
  readonly least: number;
  readonly most: number;
}

function limitsOf(volume: LaidVolume, bounds: Bounds): Limits {
  if (isMade(volume)) return { least: ceilTo(leastSize(volume.fileSystem), ALIGNMENT), most: Infinity };
  const bound = boundOf(volume, bounds);
  if (!bound) return { least: volume.length, most: volume.length };
  return { least: ceilTo(bound.floor, ALIGNMENT), most: floorTo(bound.ceiling, ALIGNMENT) };
}

/** The same for all, but for those that can't have it; undefined where even the least of all is too much. */
function sharesOf(limits: readonly Limits[], whole: number): number[] | undefined {
  const fixed = new Map<number, number>();
  for (;;) {
    const left = whole - [...fixed.values()].reduce((sum, n) => sum + n, 0);
    const open = limits.flatMap((_, i) => (fixed.has(i) ? [] : [i]));
    if (left < 0) return undefined;
    if (open.length === 0) return limits.map((_, i) => fixed.get(i)!);
    const share = floorTo(left / open.length, ALIGNMENT);
    // Those that need more go first: what they take makes the share of the others smaller.
    const tight = open.filter((i) => limits[i]!.least > share);
    const small = open.filter((i) => limits[i]!.most < share);
    if (tight.length === 0 && small.length === 0) return limits.map((_, i) => fixed.get(i) ?? share);
    for (const i of tight.length > 0 ? tight : small) fixed.set(i, limits[i]![tight.length > 0 ? 'least' : 'most']);
  }
}
