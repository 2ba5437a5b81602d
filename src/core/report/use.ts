/** How much of a planned volume is in use, as far as that is known. */
import { findKind } from '@/core/fs';
import { knownInfo, volumeNumbered, type Survey } from '@/core/inspect';
import type { LaidVolume } from '@/core/layout';

/** How much of a volume is in use; undefined where what it holds is not known. */
export type UsedOf = (volume: LaidVolume) => number | undefined;

/** What is in use by what a survey found. */
export const usedBy =
  (survey: Survey): UsedOf =>
  (volume) =>
    inUse(volume, survey);

/** Bytes in use of a volume once it is there; undefined where what it holds is not known. */
export function inUse(volume: LaidVolume, survey: Survey): number | undefined {
  if (volume.format || volume.origin.kind === 'new') return 0;
  if (volume.origin.kind === 'copy') return volume.origin.bounds ? volume.origin.used : undefined;
  const now = volumeNumbered(survey, volume.origin.number);
  return now && knownInfo(now)?.used;
}

/** What a volume’s file system is called. */
export const titleOf = ({ fileSystem, knownAs }: Pick<LaidVolume, 'fileSystem' | 'knownAs'>): string =>
  findKind(fileSystem)?.title ?? knownAs ?? 'content not known';
