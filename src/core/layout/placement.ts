/**
 * Which volumes of a master boot record have an entry of their own and which stand in the chain of an extended
 * partition. A person draws volumes; the container follows from them.
 */
import { MBR_ENTRIES } from '@/core/table';
import { ceilTo } from '@/core/size';
import {
  ALIGNMENT,
  boundOf,
  endOf,
  firstUsable,
  isMade,
  nameOf,
  type Bounds,
  type LaidVolume,
  type Layout,
} from './layout';
import { refuse, type Refusal } from './refusals';

/** A layout whose volumes all have their places, with what was changed for that, or why there are none. */
export type Settled = { readonly ok: true; readonly layout: Layout; readonly notes: readonly string[] } | Refusal;

/** A stretch of volumes in disk order, [from, to). */
interface Span {
  readonly from: number;
  readonly to: number;
}

/**
 * Gives every volume of a master boot record its place. Kept logical volumes stay logical; as few others as possible
 * join them, new ones before kept ones. A boot record goes before every logical volume, and where there is no room for
 * it, room is made: a new volume begins later, and the one before ends earlier.
 */
export function settle(layout: Layout, bounds: Bounds): Settled {
  if (layout.table !== 'mbr')
    return { ok: true, layout: { ...layout, volumes: layout.volumes.map(asPlain) }, notes: [] };
  const span = chooseSpan(layout.volumes);
  if (!span) return whyNone(layout.volumes);
  const volumes = layout.volumes.map((v, i) => placed(v, i >= span.from && i < span.to));
  const roomy = makeRoom(layout, volumes, bounds);
  if (!Array.isArray(roomy)) return roomy;
  const turned = roomy.filter((v, i) => v.logical && !layout.volumes[i]!.logical);
  const notes = turned.map((v) =>
    v.placement === 'logical'
      ? `${nameOf(v)} is logical, as wished.`
      : `${nameOf(v)} is logical: the table has ${MBR_ENTRIES} entries, and one of them holds all logical volumes.`,
  );
  return { ok: true, layout: { ...layout, volumes: roomy }, notes };
}

/** The same value where nothing changes, so that a view can tell. */
const placed = (volume: LaidVolume, logical: boolean): LaidVolume =>
  volume.logical === logical ? volume : { ...volume, logical };
const asPlain = (volume: LaidVolume): LaidVolume => placed(volume, false);

/** Volumes that need an entry of their own: what a machine starts from, and what a person wants so. */
function mustBePrimary(volume: LaidVolume): boolean {
  return volume.active || volume.role === 'firmware' || volume.placement === 'primary';
}

/** A kept volume that is in the chain now, or a new one that a person wants there. */
function mustBeLogical(volume: LaidVolume): boolean {
  if (volume.placement === 'logical') return true;
  return volume.origin.kind === 'kept' && volume.logical;
}

/** The stretch of logical volumes that costs least, empty when none is needed; undefined when there is none. */
function chooseSpan(volumes: readonly LaidVolume[]): Span | undefined {
  let best: { span: Span; cost: number } | undefined;
  const consider = (from: number, to: number): void => {
    const outside = volumes.length - (to - from);
    if (outside + (to > from ? 1 : 0) > MBR_ENTRIES) return;
    let cost = 0;
    for (const [i, volume] of volumes.entries()) {
      const inside = i >= from && i < to;
      if (inside ? mustBePrimary(volume) : mustBeLogical(volume)) return;
      if (inside && !mustBeLogical(volume)) cost += volume.origin.kind === 'kept' ? 1000 : 1;
    }
    // Of two that cost the same the later is taken: a machine starts from what comes first.
    if (!best || cost < best.cost || (cost === best.cost && to > from && best.span.to > best.span.from))
      best = { span: { from, to }, cost };
  };
  consider(0, 0);
  for (let from = 0; from < volumes.length; from++)
    for (let to = from + 1; to <= volumes.length; to++) consider(from, to);
  return best?.span;
}

function whyNone(volumes: readonly LaidVolume[]): Refusal {
  const logical = volumes.filter(mustBeLogical);
  if (logical.length > 0) {
    const [first, last] = [volumes.indexOf(logical[0]!), volumes.indexOf(logical.at(-1)!)];
    const between = volumes.slice(first, last).find((v) => mustBePrimary(v));
    if (between) return refuse('table.entry-between', { volume: nameOf(between), entries: MBR_ENTRIES });
  }
  return refuse('table.entries', { entries: MBR_ENTRIES });
}

/** Room for the boot record before each logical volume, or why there is none. */
function makeRoom(layout: Layout, volumes: readonly LaidVolume[], bounds: Bounds): LaidVolume[] | Refusal {
  const out = [...volumes];
  for (let i = 0; i < out.length; i++) {
    const volume = out[i]!;
    if (!volume.logical) continue;
    const before = out[i - 1];
    const free = volume.start - (before ? endOf(before) : firstUsable(layout));
    if (free >= layout.sectorSize) continue;
    if (isMade(volume) || volume.origin.kind === 'copy') {
      const start = ceilTo(volume.start + layout.sectorSize, ALIGNMENT);
      const length = endOf(volume) - start;
      if (!isMade(volume) && length < (boundOf(volume, bounds)?.floor ?? Infinity))
        return refuse('table.record-room', { volume: nameOf(volume), bytes: ALIGNMENT });
      out[i] = { ...volume, start, length };
      continue;
    }
    if (!before) return refuse('table.record-none', { volume: nameOf(volume) });
    const length = before.length - ALIGNMENT;
    const floor = isMade(before) ? 0 : (boundOf(before, bounds)?.floor ?? Infinity);
    if (before.guarded || length < floor)
      return refuse('table.record-not-given', { volume: nameOf(volume), bytes: ALIGNMENT, by: nameOf(before) });
    out[i - 1] = { ...before, length };
  }
  return out;
}
