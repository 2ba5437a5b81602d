/** Edits of where volumes stand: moving one into unallocated space, and putting volumes in another order. */
import { ceilTo, floorTo } from '@/core/size';
import type { Edited } from './edits';
import { ALIGNMENT, endOf, firstUsable, lastUsable, nameOf, volumeOf } from './layout';
import type { Bounds, LaidVolume, Layout, VolumeId } from './layout';
import { settle } from './placement';
import { refuse, type Refusal } from './refusals';

/** Why a volume can't be moved at all. */
function moveFault(layout: Layout, volume: LaidVolume): Refusal | undefined {
  if (layout.table === 'none') return refuse('place.untabled', {});
  return volume.guarded ? refuse('guarded.place', { volume: nameOf(volume) }) : undefined;
}

/** Moves a volume so that it begins at `start`. `nearest` is the nearest start where it fits. */
export function moveVolume(layout: Layout, bounds: Bounds, id: VolumeId, start: number): Edited {
  const volume = volumeOf(layout, id);
  const fault = moveFault(layout, volume);
  if (fault) return fault;
  const wanted = Math.max(firstUsable(layout), floorTo(Math.max(0, start), ALIGNMENT));
  const nearest = nearestPlace(layout, volume, wanted);
  if (nearest === undefined) return refuse('room.nowhere', { bytes: volume.length });
  if (nearest !== wanted) {
    const there = layout.volumes.find((v) => v.id !== id && v.start < wanted + volume.length && wanted < endOf(v));
    return there
      ? refuse('place.taken', { volume: nameOf(there) }, nearest)
      : refuse('room.would-pass-end', {}, nearest);
  }
  const volumes = [...layout.volumes.filter((v) => v.id !== id), { ...volume, start: wanted }];
  const settled = settle({ ...layout, volumes: volumes.sort((a, b) => a.start - b.start) }, bounds);
  if (!settled.ok) return settled;
  return { ok: true, layout: settled.layout, name: `Move ${nameOf(volume)}`, notes: settled.notes };
}

/** The start nearest to a wish where a volume fits beside the others. */
function nearestPlace(layout: Layout, volume: LaidVolume, wanted: number): number | undefined {
  const others = layout.volumes.filter((v) => v.id !== volume.id);
  let best: number | undefined;
  let at = firstUsable(layout);
  for (const next of [...others, undefined]) {
    const record = next?.logical ? layout.sectorSize : 0;
    const low = ceilTo(at + (volume.logical ? layout.sectorSize : 0), ALIGNMENT);
    const high = floorTo((next ? next.start - record : lastUsable(layout)) - volume.length, ALIGNMENT);
    if (low <= high) {
      const place = Math.min(high, Math.max(low, wanted));
      if (best === undefined || Math.abs(place - wanted) < Math.abs(best - wanted)) best = place;
    }
    if (next) at = endOf(next);
  }
  return best;
}

/** Puts a volume before another, or behind all. What stands between moves up; gaps stay between their neighbours. */
export function reorderVolume(layout: Layout, bounds: Bounds, id: VolumeId, before: VolumeId | undefined): Edited {
  const volume = volumeOf(layout, id);
  const fault = moveFault(layout, volume);
  if (fault) return fault;
  const others = layout.volumes.filter((v) => v.id !== id);
  const index = before === undefined ? others.length : others.findIndex((v) => v.id === before);
  if (index < 0) return refuse('place.no-neighbour', {});
  const order = [...others.slice(0, index), volume, ...others.slice(index)];
  const first = order.findIndex((v, i) => v.id !== layout.volumes[i]!.id);
  if (first < 0) return refuse('place.same', { volume: nameOf(volume) });
  const last = order.findLastIndex((v, i) => v.id !== layout.volumes[i]!.id);
  const guarded = order.slice(first, last + 1).find((v) => v.guarded);
  if (guarded) return refuse('guarded.place', { volume: nameOf(guarded) });
  const limit = layout.volumes[last + 1]?.start ?? lastUsable(layout);
  const packed = pack(layout, order, first, last, limit, true) ?? pack(layout, order, first, last, limit, false);
  if (!packed) return refuse('room.whole-mib', {});
  const settled = settle({ ...layout, volumes: packed }, bounds);
  if (!settled.ok) return settled;
  const behind = order[order.indexOf(volume) + 1];
  const name = behind ? `Put ${nameOf(volume)} before ${nameOf(behind)}` : `Put ${nameOf(volume)} last`;
  return { ok: true, layout: settled.layout, name, notes: settled.notes };
}

function pack(
  layout: Layout,
  order: readonly LaidVolume[],
  first: number,
  last: number,
  limit: number,
  withGaps: boolean,
): LaidVolume[] | undefined {
  const out = [...order];
  let at = layout.volumes[first]!.start;
  for (let i = first; i <= last; i++) {
    const gap = i > first ? layout.volumes[i]!.start - endOf(layout.volumes[i - 1]!) : 0;
    const start = ceilTo(at + (withGaps ? gap : order[i]!.logical && i > first ? layout.sectorSize : 0), ALIGNMENT);
    out[i] = { ...order[i]!, start };
    at = endOf(out[i]!);
  }
  return at <= limit ? out : undefined;
}

/** Takes every volume out that is not guarded. */
export function removeAll(layout: Layout): Edited {
  if (layout.table === 'none') return refuse('table.none-to-leave', {});
  const volumes = layout.volumes.filter((v) => v.guarded);
  if (volumes.length === layout.volumes.length) return refuse('guarded.all', {});
  const settled = settle({ ...layout, volumes }, new Map());
  if (!settled.ok) return settled;
  const kept = volumes.length > 0 ? ` but ${volumes.map(nameOf).join(', ')}` : '';
  return { ok: true, layout: settled.layout, name: `Remove all volumes${kept}`, notes: settled.notes };
}
