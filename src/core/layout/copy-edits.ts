/** Copying a volume, of this disk or of another, into unallocated space. */
import { ceilTo, floorTo, formatSize } from '@/core/size';
import { freshId, labelFault, letterRefusal, replace, sizeFault, type Edited } from './edits';
import { ALIGNMENT, gapsOf, lastUsable, nameOf, volumeOf } from './layout';
import type { Bounds, CopyOrigin, Gap, LaidVolume, Layout, VolumeId } from './layout';
import { settle } from './placement';
import { refuse, type Refusal } from './refusals';
import { newTable } from './table-edits';

/** A volume that can be copied, as it lies on its own disk, with where its copy comes from. */
export interface CopySource {
  readonly volume: LaidVolume;
  readonly origin: CopyOrigin;
  /** Of its disk. What is written for sectors of one size can't be read in those of another. */
  readonly sectorSize: number;
}

/** What a copy is to be, where that is not what its original is. Sizes in bytes. */
export interface CopyWish {
  readonly size?: number;
  readonly label?: string;
  readonly letter?: string;
  readonly identity?: CopyOrigin['identity'];
}

/** The copy of a volume, as it would be laid at a place. Its letter, its guard and its GUID stay with the original. */
export function laidCopy(
  { volume, origin }: CopySource,
  id: VolumeId,
  place: Pick<LaidVolume, 'start' | 'length'>,
  { label, letter, identity = origin.identity }: CopyWish = {},
): LaidVolume {
  const { letter: _letter, guid: _guid, placement: _placement, format: _format, ...rest } = volume;
  return {
    ...rest,
    ...place,
    id,
    origin: { ...origin, identity },
    label: label ?? volume.label,
    logical: false,
    guarded: false,
    ...(letter ? { letter } : {}),
  };
}

/** Copies a volume into a gap, at its start unless `start` says otherwise; as long as it is, where that fits. */
export function copyVolume(
  layout: Layout,
  bounds: Bounds,
  gap: Gap,
  source: CopySource,
  wish: CopyWish = {},
  start = gap.start,
): Edited {
  if (layout.table === 'none') return copyOntoBlank(layout, bounds, source, wish);
  const at = ceilTo(Math.max(start, gap.start), ALIGNMENT);
  const room = gap.end - at;
  const { origin, volume } = source;
  const asked = wish.size ?? Math.min(origin.length, Math.max(room, origin.bounds?.floor ?? origin.length));
  const length = floorTo(asked, layout.sectorSize);
  const fault = wish.label === undefined ? undefined : labelFault(volume.fileSystem, wish.label);
  if (fault) return fault;
  const copy = laidCopy(source, freshId(layout), { start: at, length }, wish);
  const refused = letterRefusal(layout, copy.id, copy.letter) ?? copyFault(layout, copy, bounds);
  if (refused) return refused;
  if (length > room) return refuse('room.unallocated', { bytes: room }, room);
  const active = copy.active && layout.table === 'mbr' && !layout.volumes.some((v) => v.active);
  const single = { ...copy, active };
  const settled = settle(replace(layout, [single]), bounds);
  if (!settled.ok) return settled;
  const made = volumeOf(settled.layout, copy.id);
  return {
    ok: true,
    layout: settled.layout,
    name: `Copy ${origin.name} of ${origin.diskName} as ${nameOf(made)}, ${formatSize(made.length)}`,
    notes: settled.notes,
  };
}

/** A blank disk gets the kind of table that the original is in, so that it can take a volume. */
function copyOntoBlank(layout: Layout, bounds: Bounds, source: CopySource, wish: CopyWish): Edited {
  if (layout.volumes.length > 0) return refuse('table.one-volume', {});
  const far = lastUsable({ ...layout, table: 'mbr' }) < layout.diskSize;
  const tabled = newTable(layout, source.volume.typeGuid || far ? 'gpt' : 'mbr', true);
  if (!tabled.ok) return tabled;
  const copied = copyVolume(tabled.layout, bounds, gapsOf(tabled.layout)[0]!, source, wish);
  return copied.ok ? { ...copied, notes: [...tabled.notes, ...copied.notes] } : copied;
}

/** Why a copy can't be as it is laid, if it can't: its size, measured by its original's. */
function copyFault(layout: Layout, copy: LaidVolume, bounds: Bounds): Refusal | undefined {
  if (copy.origin.kind !== 'copy') return undefined;
  return sizeFault({ ...copy, length: copy.origin.length }, bounds, copy.length);
}

/** Whether a copy is another volume than its original, or takes its place. */
export function setIdentity(layout: Layout, id: VolumeId, identity: CopyOrigin['identity']): Edited {
  const volume = volumeOf(layout, id);
  const { origin } = volume;
  if (origin.kind !== 'copy') return refuse('copy.none', { volume: nameOf(volume) });
  const next = replace(layout, [{ ...volume, origin: { ...origin, identity } }]);
  const name = identity === 'new' ? 'An identity of its own' : 'The identity of the original';
  return { ok: true, layout: next, name, notes: [] };
}
