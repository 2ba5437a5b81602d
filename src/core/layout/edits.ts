/**
 * Edits of a layout: pure functions from a layout to the next one, or to a refusal with the nearest that can be.
 *
 * An edit never lets volumes overlap, leave the disk, or pass a kept volume's floor; what it rounds it tells.
 */
import { findKind } from '@/core/fs';
import { flagsFor, typeCodeFor } from '@/core/table';
import { ceilTo, floorTo, formatSize } from '@/core/size';
import {
  ALIGNMENT,
  asVolumeId,
  boundOf,
  endOf,
  firstUsable,
  isMade,
  lastUsable,
  nameOf,
  volumeOf,
  type Bounds,
  type Gap,
  type LaidVolume,
  type Layout,
  type VolumeId,
} from './layout';
import { letterFault, nextLetter } from './letters';
import { settle } from './placement';
import { refuse, type Refusal } from './refusals';

/** The outcome of an edit. `name` is the edit in plain words, for undo. */
export type Edited =
  { readonly ok: true; readonly layout: Layout; readonly name: string; readonly notes: readonly string[] } | Refusal;

/** What a new volume is to be. Sizes in bytes. */
export interface NewVolume {
  readonly size: number;
  readonly fileSystem: string;
  readonly label: string;
  readonly letter?: string;
  readonly clusterSize?: number;
  readonly role?: LaidVolume['role'];
  readonly format?: 'quick' | 'full';
}

/** An edit that can be, with its name for undo. */
export const done = (layout: Layout, name: string, notes: readonly string[] = []): Edited => ({
  ok: true,
  layout,
  name,
  notes,
});

/** The layout with volumes in the place of those of their identity, in disk order. */
export function replace(layout: Layout, changed: readonly LaidVolume[], removed: readonly VolumeId[] = []): Layout {
  const ids = new Set([...changed.map((v) => v.id), ...removed]);
  const volumes = [...layout.volumes.filter((v) => !ids.has(v.id)), ...changed].sort((a, b) => a.start - b.start);
  return { ...layout, volumes };
}

/** A fresh identity, the same for the same layout. */
export function freshId(layout: Layout): VolumeId {
  const taken = new Set<string>(layout.volumes.map((v) => v.id));
  for (let n = 1; ; n++) if (!taken.has(`new-${n}`)) return asVolumeId(`new-${n}`);
}

/** How far the end of a volume may go: up to the next volume, past a new one's start down to its own least size. */
function endRoom(layout: Layout, volume: LaidVolume): { limit: number; follower?: LaidVolume } {
  const next = layout.volumes.find((v) => v.start >= endOf(volume) && v.id !== volume.id);
  if (!next) return { limit: lastUsable(layout) };
  // The boot record of a logical volume stands between the two.
  const apart = next.logical ? 2 * ALIGNMENT : ALIGNMENT;
  const touching = next.start - endOf(volume) < apart;
  if (!touching || next.origin.kind !== 'new') return { limit: next.start };
  const least = leastSize(next.fileSystem);
  return { limit: floorTo(endOf(next) - least, ALIGNMENT), follower: next };
}

/** The least bytes a new volume of a kind may have, aligned. */
export function leastSize(fileSystem: string): number {
  return ceilTo(Math.max(findKind(fileSystem)?.minBytes ?? ALIGNMENT, ALIGNMENT), ALIGNMENT);
}

/**
 * Sets the end edge of a volume. A new volume that touches it gives or takes the difference.
 * Sizes of kept volumes are held between floor and ceiling; `nearest` is the size that can be.
 */
export function resizeEnd(layout: Layout, bounds: Bounds, id: VolumeId, length: number): Edited {
  const volume = volumeOf(layout, id);
  const wanted = floorTo(length, layout.sectorSize);
  const { limit, follower } = endRoom(layout, volume);
  const fault = sizeFault(volume, bounds, wanted) ?? roomFault(volume, wanted, limit);
  if (fault) return fault;
  const resized: LaidVolume = { ...volume, length: wanted };
  const changed = [resized];
  if (follower) {
    const start = ceilTo(endOf(resized) + (follower.logical ? layout.sectorSize : 0), ALIGNMENT);
    changed.push({ ...follower, start, length: endOf(follower) - start });
  }
  const settled = settle(replace(layout, changed), bounds);
  if (!settled.ok) return settled;
  const lost = length - wanted;
  const notes = lost > 0 ? [`Rounded down by ${lost} bytes to whole sectors.`] : [];
  const held = volumeOf(settled.layout, id).length;
  return done(settled.layout, `Resize ${nameOf(volume)} to ${formatSize(held)}`, [...notes, ...settled.notes]);
}

function roomFault(volume: LaidVolume, wanted: number, limit: number): Refusal | undefined {
  const room = limit - volume.start;
  if (wanted <= room) return undefined;
  return refuse('room.here', { volume: nameOf(volume), bytes: room }, room);
}

/** Why a volume can't have a size, or undefined when it can. */
export function sizeFault(volume: LaidVolume, bounds: Bounds, wanted: number): Refusal | undefined {
  if (isMade(volume)) {
    const least = leastSize(volume.fileSystem);
    const most = findKind(volume.fileSystem)?.maxBytes ?? Infinity;
    const kind = findKind(volume.fileSystem)?.title ?? 'new';
    if (wanted < least) return refuse('size.least', { kind, bytes: least }, least);
    return wanted > most ? refuse('size.most', { kind, bytes: most }, most) : undefined;
  }
  if (wanted === volume.length) return undefined;
  if (volume.guarded) return refuse('guarded.size', { volume: nameOf(volume) }, volume.length);
  const bound = boundOf(volume, bounds);
  if (!bound) return refuse('size.unknown', { volume: nameOf(volume) }, volume.length);
  if (wanted < bound.floor)
    return refuse('size.floor', { volume: nameOf(volume), bytes: bound.floor, why: bound.floorReason }, bound.floor);
  if (wanted > bound.ceiling)
    return refuse(
      'size.ceiling',
      { volume: nameOf(volume), bytes: bound.ceiling, why: bound.ceilingReason },
      bound.ceiling,
    );
  return undefined;
}

/**
 * Sets the start edge of a volume; its end stays. A kept one is moved as well as resized. A touching volume before it
 * keeps its size, unless it is new and gives or takes the difference. `nearest` is the start that can be.
 */
export function resizeStart(layout: Layout, bounds: Bounds, id: VolumeId, start: number): Edited {
  const volume = volumeOf(layout, id);
  if (layout.table === 'none') return refuse('place.untabled', {}, volume.start);
  const end = endOf(volume);
  const wanted = ceilTo(Math.max(0, start), ALIGNMENT);
  const before = layout.volumes.findLast((v) => v.start < volume.start);
  const leader = before?.origin.kind === 'new' && volume.start - endOf(before) < ALIGNMENT ? before : undefined;
  const roomEnd = leader ? leader.start + leastSize(leader.fileSystem) : before ? endOf(before) : firstUsable(layout);
  const least = ceilTo(roomEnd + (volume.logical ? layout.sectorSize : 0), ALIGNMENT);
  if (wanted < least) return refuse('place.reached', { volume: before && nameOf(before) }, least);
  const fault = sizeFault(volume, bounds, end - wanted);
  if (fault) return startRefusal(fault, end, end - wanted);
  const changed: LaidVolume[] = [{ ...volume, start: wanted, length: end - wanted }];
  if (leader) changed.push({ ...leader, length: wanted - (volume.logical ? ALIGNMENT : 0) - leader.start });
  const settled = settle(replace(layout, changed), bounds);
  return settled.ok ? done(settled.layout, `Move the start of ${nameOf(volume)}`, settled.notes) : settled;
}

/** A refusal of a length as one of a start; the end stays. */
function startRefusal(refusal: Refusal, end: number, length: number): Refusal {
  const { nearest } = refusal;
  if (nearest === undefined) return refusal;
  return { ...refusal, nearest: (length < nearest ? floorTo : ceilTo)(end - nearest, ALIGNMENT) };
}

/** Creates a volume in a gap, at its start unless `start` says otherwise. */
export function createVolume(layout: Layout, bounds: Bounds, gap: Gap, spec: NewVolume, start = gap.start): Edited {
  if (layout.table === 'none') return refuse('table.one-volume', {});
  const at = ceilTo(Math.max(start, gap.start), ALIGNMENT);
  const size = floorTo(Math.min(spec.size, gap.end - at), layout.sectorSize);
  if (spec.size > gap.end - at) return refuse('room.unallocated', { bytes: gap.end - at }, gap.end - at);
  const volume = newVolume(layout, spec, at, size);
  const inTheWay = layout.volumes.find((v) => v.start < at + size && at < endOf(v));
  if (inTheWay) return refuse('place.taken', { volume: nameOf(inTheWay) });
  const fault = specFault(layout, volume);
  if (fault) return fault;
  const settled = settle(replace(layout, [volume]), bounds);
  if (!settled.ok) return settled;
  const made = volumeOf(settled.layout, volume.id);
  return (
    specFault(layout, made) ??
    done(settled.layout, `New volume ${nameOf(made)}, ${formatSize(made.length)}`, settled.notes)
  );
}

function newVolume(layout: Layout, spec: NewVolume, start: number, length: number): LaidVolume {
  const facts = findKind(spec.fileSystem);
  return {
    id: freshId(layout),
    origin: { kind: 'new' },
    start,
    length,
    fileSystem: spec.fileSystem,
    label: spec.label,
    role: spec.role ?? 'data',
    active: false,
    type: typeCodeFor(spec.role ?? 'data', facts?.mbrType(length) ?? 0),
    logical: false,
    flags: flagsFor(spec.role ?? 'data'),
    guarded: false,
    format: spec.format ?? 'quick',
    ...(spec.letter ? { letter: spec.letter } : {}),
    ...(spec.clusterSize ? { clusterSize: spec.clusterSize } : {}),
  };
}

/** What is wrong with a volume that is to be made, if anything. */
export function specFault(layout: Layout, volume: LaidVolume): Refusal | undefined {
  const facts = findKind(volume.fileSystem);
  if (!facts) return refuse('kind.unmade', { kind: volume.fileSystem });
  const size = sizeFault({ ...volume, origin: { kind: 'new' } }, new Map(), volume.length);
  if (size) return size;
  const sizes = facts.clusterSizes(volume.length, layout.sectorSize);
  if (sizes.length === 0) return refuse('size.unsuited', { bytes: volume.length, kind: facts.title });
  if (volume.clusterSize !== undefined && !sizes.includes(volume.clusterSize)) {
    const { clusterSize, length: bytes } = volume;
    return refuse('kind.cluster-size', { clusterSize, bytes, kind: facts.title });
  }
  return labelFault(volume.fileSystem, volume.label) ?? letterRefusal(layout, volume.id, volume.letter);
}

/** Why a kind of file system can't have a label, as a refusal. */
export function labelFault(fileSystem: string, label: string): Refusal | undefined {
  try {
    findKind(fileSystem)?.normaliseLabel(label);
    return undefined;
  } catch (error) {
    return refuse('label.fault', { fault: error instanceof Error ? error.message : String(error) });
  }
}

/** Why a letter can't be given to a volume, as a refusal. */
export function letterRefusal(layout: Layout, id: VolumeId, letter: string | undefined): Refusal | undefined {
  return letter === undefined ? undefined : letterFault(layout, id, letter);
}

/** The parts a volume is split into: what it keeps, and the new ones behind it in order. */
export interface Split {
  readonly keep: number;
  readonly parts: readonly Omit<NewVolume, 'size'>[] | readonly NewVolume[];
}

/**
 * Splits a volume: it keeps `keep` bytes and new volumes fill the rest of what it had. Parts without a size share what
 * is left equally; the last one takes what rounding leaves.
 */
export function splitVolume(layout: Layout, bounds: Bounds, id: VolumeId, split: Split): Edited {
  const volume = volumeOf(layout, id);
  const end = Math.max(endOf(volume), roomBehind(layout, volume));
  const wanted = floorTo(split.keep, layout.sectorSize);
  const fault = sizeFault(volume, bounds, wanted) ?? roomFault(volume, wanted, endOf(volume));
  if (fault) return fault;
  let next = replace(layout, [{ ...volume, length: wanted }]);
  let at = ceilTo(volume.start + split.keep, ALIGNMENT);
  const notes = new Set<string>();
  for (let i = 0; i < split.parts.length; i++) {
    const part = split.parts[i]!;
    const share = (end - at) / (split.parts.length - i);
    const last = i === split.parts.length - 1;
    const size = 'size' in part ? part.size : last ? end - at : floorTo(share, ALIGNMENT);
    const bare = findKind(part.fileSystem)?.unlettered;
    const letter = part.letter ?? (bare ? undefined : nextLetter(next));
    const made = createVolume(next, bounds, { start: at, end }, { ...part, size, ...(letter ? { letter } : {}) });
    if (!made.ok) return made;
    next = made.layout;
    made.notes.forEach((note) => notes.add(note));
    at = ceilTo(at + size, ALIGNMENT);
  }
  const count = split.parts.length;
  return done(next, `Split ${nameOf(volume)} in ${count + 1}`, [...notes]);
}

/** The end of the unallocated stretch right behind a volume. */
function roomBehind(layout: Layout, volume: LaidVolume): number {
  const next = layout.volumes.find((v) => v.start >= endOf(volume) && v.id !== volume.id);
  return next ? next.start : lastUsable(layout);
}
