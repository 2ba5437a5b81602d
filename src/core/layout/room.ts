/**
 * Making room: one volume longer, or a stretch unallocated, from gaps, from what other volumes can give, or from where
 * one stood that goes. What lies between is shifted by what is still missing, so every byte moves at most once.
 */
import { ceilTo, floorTo, formatSize, type SizeContext } from '@/core/size';
import { leastSize, sizeFault, type Edited } from './edits';
import { ALIGNMENT, boundOf, endOf, firstUsable, isMade, lastUsable, nameOf, volumeOf } from './layout';
import type { Bounds, LaidVolume, Layout, VolumeId } from './layout';
import { settle } from './placement';
import { refuse, type Refusal } from './refusals';

/** What is wanted: a volume longer by so many bytes, or so many unallocated right behind it, before all when none. */
export interface RoomWish {
  readonly kind: 'grow' | 'free';
  readonly id: VolumeId | undefined;
  readonly bytes: number;
}

/** Where the room comes from. Bytes of gives are multiples of the alignment. */
export interface RoomSource {
  /** Towards the end of the disk, or towards its start. */
  readonly side: 'behind' | 'before';
  /** What volumes give up, by volume. */
  readonly gives?: ReadonlyMap<VolumeId, number>;
  /** Volumes taken out. */
  readonly removed?: readonly VolumeId[];
  /** Volumes that go somewhere else, with where. */
  readonly away?: ReadonlyMap<VolumeId, number>;
}

/** How much a volume can give up, in whole alignment units. */
export function canGive(volume: LaidVolume, bounds: Bounds, least = 0): number {
  if (volume.guarded) return 0;
  const floor = isMade(volume) ? leastSize(volume.fileSystem) : boundOf(volume, bounds)?.floor;
  if (floor === undefined) return 0;
  return Math.max(0, floorTo(volume.length - Math.max(floor, least), ALIGNMENT));
}

/** What a size that is typed for a volume is measured by: the room to what follows it, with a new volume in that. */
export function sizeRange(layout: Layout, bounds: Bounds, volume: LaidVolume): SizeContext {
  const next = layout.volumes.find((v) => v.start >= endOf(volume));
  const end = next?.origin.kind === 'new' ? endOf(next) : (next?.start ?? lastUsable(layout));
  const room = end - volume.start;
  const floor = boundOf(volume, bounds)?.floor ?? 0;
  return { whole: room, rest: room, current: volume.length, floor };
}

/** What a gap before `next` has to spare: the boot record of a logical volume needs its place. */
function spare(from: number, to: number, next: LaidVolume | undefined): number {
  const kept = next?.logical ? ALIGNMENT : 0;
  return Math.max(0, floorTo(to - ceilTo(from, ALIGNMENT) - kept, ALIGNMENT));
}

/** The layout with the room made, or why that can't be. */
export function makeRoom(layout: Layout, bounds: Bounds, wish: RoomWish, source: RoomSource): Edited {
  if (layout.table === 'none') return refuse('table.none-beside', {});
  const bytes = ceilTo(wish.bytes, ALIGNMENT);
  const subject = wish.id === undefined ? undefined : volumeOf(layout, wish.id);
  const gone = new Set<VolumeId>([...(source.removed ?? []), ...(source.away?.keys() ?? [])]);
  const guarded = [...gone].map((id) => volumeOf(layout, id)).find((v) => v.guarded);
  if (guarded) return refuse('guarded', { volume: nameOf(guarded) });
  const volumes = layout.volumes.filter((v) => !gone.has(v.id));
  const shifted =
    source.side === 'behind'
      ? shiftBehind(layout, volumes, subject, bytes, source)
      : shiftBefore(layout, volumes, subject, bytes, source, wish.kind);
  if (!Array.isArray(shifted)) return shifted;
  const placed = shifted.map((v) => (v.id === subject?.id && wish.kind === 'grow' ? grown(v, bytes) : v));
  const away = [...(source.away ?? [])].map(([id, start]) => ({ ...volumeOf(layout, id), start }));
  const next = [...placed, ...away].sort((a, b) => a.start - b.start);
  const fault = overlapIn(layout, next);
  if (fault) return fault;
  for (const { id, length } of placed) {
    const volume = volumeOf(layout, id);
    const size = length === volume.length ? undefined : sizeFault(volume, bounds, length);
    if (!size) continue;
    // The nearest size is of use only for the volume that was asked about.
    const { nearest: _nearest, ...without } = size;
    return id === subject?.id ? size : without;
  }
  const settled = settle({ ...layout, volumes: next }, bounds);
  if (!settled.ok) return settled;
  const name =
    wish.kind === 'grow'
      ? `Make ${nameOf(subject!)} ${formatSize(bytes)} bigger`
      : `Make ${formatSize(bytes)} unallocated`;
  return { ok: true, layout: settled.layout, name, notes: settled.notes };
}

const grown = (volume: LaidVolume, bytes: number): LaidVolume => ({ ...volume, length: volume.length + bytes });

function shiftBehind(
  layout: Layout,
  volumes: readonly LaidVolume[],
  subject: LaidVolume | undefined,
  bytes: number,
  { gives }: RoomSource,
): LaidVolume[] | Refusal {
  const first = subject ? volumes.findIndex((v) => v.id === subject.id) + 1 : 0;
  const out = volumes.slice(0, first);
  let missing = bytes;
  let at = subject ? endOf(subject) : firstUsable(layout);
  for (const volume of volumes.slice(first)) {
    missing -= Math.min(missing, spare(at, volume.start, volume));
    at = endOf(volume);
    const given = Math.min(missing, gives?.get(volume.id) ?? 0);
    if (missing > 0 && volume.guarded) return refuse('guarded.place', { volume: nameOf(volume) });
    out.push(missing > 0 ? { ...volume, start: volume.start + missing, length: volume.length - given } : volume);
    missing -= given;
  }
  missing -= Math.min(missing, spare(at, lastUsable(layout), undefined));
  return missing > 0 ? refuse('room.missing', { bytes: missing }) : out;
}

function shiftBefore(
  layout: Layout,
  volumes: readonly LaidVolume[],
  subject: LaidVolume | undefined,
  bytes: number,
  { gives }: RoomSource,
  kind: RoomWish['kind'],
): LaidVolume[] | Refusal {
  const own = subject ? volumes.findIndex((v) => v.id === subject.id) : -1;
  if (!subject || own < 0) return refuse('room.first', {});
  if (subject.guarded) return refuse('guarded.place', { volume: nameOf(subject) });
  let missing = bytes;
  // The stretch behind a volume that only makes room counts as it is.
  if (kind === 'free')
    missing -= Math.min(
      missing,
      spare(endOf(subject), volumes[own + 1]?.start ?? lastUsable(layout), volumes[own + 1]),
    );
  const out: LaidVolume[] = [{ ...subject, start: subject.start - missing }, ...volumes.slice(own + 1)];
  let next = subject;
  for (let i = own - 1; i >= 0; i--) {
    const volume = volumes[i]!;
    missing -= Math.min(missing, spare(endOf(volume), next.start, next));
    const given = Math.min(missing, gives?.get(volume.id) ?? 0);
    if (missing > 0 && volume.guarded) return refuse('guarded.place', { volume: nameOf(volume) });
    out.unshift(
      missing > 0 ? { ...volume, start: volume.start - missing + given, length: volume.length - given } : volume,
    );
    missing -= given;
    next = volume;
  }
  missing -= Math.min(missing, spare(firstUsable(layout), next.start, next));
  return missing > 0 ? refuse('room.missing', { bytes: missing }) : out;
}

function overlapIn(layout: Layout, volumes: readonly LaidVolume[]): Refusal | undefined {
  let at = 0;
  for (const volume of volumes) {
    if (volume.start < at) return refuse('room.overlap', { volume: nameOf(volume) });
    at = endOf(volume);
  }
  return at > lastUsable(layout) ? refuse('room.past-end', {}) : undefined;
}
