/** How much of a planned volume is in use, as far as that is known. */
import { findKind } from '@/core/fs';
import { inUse } from '@/core/goal';
import type { Survey } from '@/core/inspect';
import type { LaidVolume } from '@/core/layout';

/** How much of a volume is in use; undefined where what it holds is not known. */
export type UsedOf = (volume: LaidVolume) => number | undefined;

/** What is in use by what a survey found. */
export const usedBy =
  (survey: Survey): UsedOf =>
  (volume) =>
    inUse(survey, volume);

/** What a volume’s file system is called. */
export const titleOf = ({ fileSystem, knownAs }: Pick<LaidVolume, 'fileSystem' | 'knownAs'>): string =>
  findKind(fileSystem)?.title ?? knownAs ?? 'content not known';
