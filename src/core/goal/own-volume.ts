/** Folders that get a volume of their own: room for them with headroom, and everything moved there. */
import {
  addFolders,
  boundOf,
  createVolume,
  endOf,
  gapsOf,
  nameOf,
  nextLetter,
  splitVolume,
  volumeOf,
  type Bounds,
  type Edited,
  type FolderWish,
  type Layout,
  type VolumeId,
} from '@/core/layout';
import { ceilTo, formatSize, MIB } from '@/core/size';
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
  if (volumeOf(layout, id).origin.kind !== 'kept' || folders.length === 0)
    return { ok: false, reason: 'No folder is picked.' };
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
  const floor = boundOf(source, bounds)?.floor ?? source.length;
  const spare = source.length - floor;
  if (size > spare)
    return {
      ok: false,
      reason: `A volume of ${formatSize(size)} is needed, and ${nameOf(source)} can give ${formatSize(spare)} before anything has moved. Make room first, or take some of the folders.`,
    };
  return splitVolume(layout, bounds, id, { keep: endOf(source) - source.start - size, parts: [{ ...spec, size }] });
}
