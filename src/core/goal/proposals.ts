/** Sizes proposed before anybody types: where a split falls at first, and what a new volume is. */
import { makeableKinds } from '@/core/fs';
import type { VolumeBounds, LaidVolume, NewVolume } from '@/core/layout';
import { GIB, MIB, roundTo } from '@/core/size';

/** What a split leaves the volume: what is in use and half of what is free, in round figures. */
export function proposedKeep(volume: LaidVolume, used: number, bounds: VolumeBounds | undefined): number {
  const unit = volume.length > 8 * GIB ? GIB : volume.length > GIB ? 64 * MIB : MIB;
  const half = roundTo(used + (volume.length - used) / 2, unit).bytes;
  return Math.max(half, bounds?.floor ?? 0);
}

/** A kind and its settings that suit a size, the volume's own kind first. */
export function newVolumeSpec(size: number, sectorSize: number, like: string | undefined): Omit<NewVolume, 'size'> {
  const kinds = makeableKinds();
  const fitting = kinds.filter((k) => k.clusterSizes(size, sectorSize).length > 0);
  const kind = fitting.find((k) => k.kind === like) ?? fitting[0] ?? kinds[0]!;
  return { fileSystem: kind.kind, label: '', role: 'data' };
}
