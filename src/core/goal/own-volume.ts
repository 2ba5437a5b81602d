/** Folders that get a volume of their own: room for them with headroom, and everything moved there. */
import {
  addFolders,
  boundOf,
  createVolume,
  gapsOf,
  nameOf,
  nextLetter,
  refuse,
  splitVolume,
  volumeOf,
  type Bounds,
  type Edited,
  type FolderWish,
  type Layout,
  type VolumeId,
} from '@/core/layout';
import { ceilTo, floorTo, formatSize, MIB } from '@/core/size';
import { newVolumeSpec } from './proposals';

/** A folder with what is in it. */
export interface PickedFolder {
  readonly path: string;
  readonly bytes: number;
  readonly files: number;
}

/** A quarter more than there is, and something for the volume's own structures. */
const HEADROOM = 1.25;
const STRUCTURES = 64 * MIB;
const FILE_OVERHEAD = 2048;
/** What a new volume must have beyond the files, and what stays for the old one beyond its floor, where room is short. */
const LEAST_HEADROOM = 1.03;
const LEFT_HEADROOM = 1.05;

/** Bytes of a volume for folders, with headroom. */
export function sizeForFolders(folders: readonly PickedFolder[]): number {
  const bytes = folders.reduce((sum, f) => sum + f.bytes + f.files * FILE_OVERHEAD, 0);
  return ceilTo(bytes * HEADROOM + STRUCTURES, MIB);
}

/** A name for a label: the one folder's own, as far as any kind can have it. */
const labelFor = ([first, ...more]: readonly PickedFolder[]): string =>
  first && more.length === 0
    ? first.path
        .slice(first.path.lastIndexOf('/') + 1)
        .slice(0, 11)
        .trim()
    : 'Data';

/**
 * Makes a volume where there is room, in unallocated space or of what the folders’ own volume can give, and has them go
 * there.
 */
export function giveOwnVolume(
  layout: Layout,
  bounds: Bounds,
  id: VolumeId,
  folders: readonly PickedFolder[],
  leave: boolean,
): Edited {
  if (volumeOf(layout, id).origin.kind !== 'kept' || folders.length === 0) return refuse('transfer.no-folder', {});
  const size = sizeForFolders(folders);
  const made = withRoom(layout, bounds, id, size, folders);
  if (!made.ok) return made;
  const added = made.layout.volumes.find((v) => !layout.volumes.some((w) => w.id === v.id))!;
  const paths = folders.map((f) => f.path);
  const wish: FolderWish = { to: added.id, then: 'remove', ...(leave ? { leave: 'link' } : {}) };
  const moved = addFolders(made.layout, id, paths, wish);
  if (!moved.ok) return moved;
  const count = folders.length === 1 ? folders[0]!.path : `${folders.length} folders`;
  return { ok: true, layout: moved.layout, name: `A volume of its own for ${count}`, notes: made.notes };
}

function withRoom(
  layout: Layout,
  bounds: Bounds,
  id: VolumeId,
  size: number,
  folders: readonly PickedFolder[],
): Edited {
  const source = volumeOf(layout, id);
  const letter = nextLetter(layout);
  const like = newVolumeSpec(size, layout.sectorSize, source.fileSystem);
  const spec = { ...like, label: labelFor(folders), ...(letter ? { letter } : {}) };
  const gap = gapsOf(layout).find((g) => g.end - g.start >= size);
  if (gap) return createVolume(layout, bounds, gap, { ...spec, size });
  const bound = boundOf(source, bounds);
  const spare = source.length - (bound?.floor ?? source.length);
  if (size <= spare) return splitVolume(layout, bounds, id, { keep: source.length - size, parts: [{ ...spec, size }] });
  // The floor goes down with every folder that leaves.
  const bytes = folders.reduce((sum, f) => sum + f.bytes, 0);
  const left = Math.max(0, (bound?.floor ?? Infinity) - bytes) * LEFT_HEADROOM + STRUCTURES;
  const most = floorTo(source.length - left, MIB);
  const taken = Math.min(size, most);
  if (!bound || spare < STRUCTURES || taken < bytes * LEAST_HEADROOM + STRUCTURES)
    return refuse('own.room', { volume: nameOf(source), bytes: size, now: spare, later: Math.max(0, most) });
  const keep = source.length - taken;
  const { number } = source.origin as { number: number };
  const lower: Bounds = new Map([...bounds, [number, { ...bound, floor: Math.min(bound.floor, keep) }]]);
  const split = splitVolume(layout, lower, id, { keep, parts: [{ ...spec, size: taken }] });
  const note = `There is not the room for both places at once: ${formatSize(spare)} can be given now. They go in rounds, as far as there is room each time.`;
  return split.ok ? { ...split, notes: [...split.notes, note] } : split;
}
