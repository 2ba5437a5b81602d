/** How much of a planned volume is in use, as far as that is known. */
import { findKind } from '@/core/fs';
import { inUse } from '@/core/goal';
import type { Survey } from '@/core/inspect';
import type { LaidVolume } from '@/core/layout';
import { HERE, type Place } from '@/core/place';
import type { Step } from '@/core/plan';

/** How much of a volume is in use; undefined where what it holds is not known. */
export type UsedOf = (volume: LaidVolume) => number | undefined;

/** What is in use by what a survey found. */
export const usedBy =
  (survey: Survey): UsedOf =>
  (volume) =>
    inUse(survey, volume);

/** Bytes of files that come to volumes, less those that go, by where each volume begins once all is done. */
export function comingBy(steps: readonly Step[]): Map<number, number> {
  const keyOf = ({ disk, start }: Place): string => `${start} ${disk}`;
  const by = new Map<string, number>();
  const add = (at: Place, bytes: number): void => void by.set(keyOf(at), (by.get(keyOf(at)) ?? 0) + bytes);
  for (const step of steps) {
    if (step.kind === 'transfer' || step.kind === 'adopt') add(step.at, step.facts.bytes);
    if (step.kind === 'clear') add(step.at, -step.bytes);
    if (step.kind !== 'carry' || step.keeps) continue;
    const bytes = by.get(keyOf(step.from)) ?? 0;
    by.delete(keyOf(step.from));
    if (bytes !== 0) by.set(keyOf(step.to), bytes);
  }
  return new Map([...by].flatMap(([key, bytes]) => (key.endsWith(` ${HERE}`) ? [[parseInt(key), bytes]] : [])));
}

/** How much of a planned volume is in use once its plan was carried out, files that come and go counted. */
export const usedAfter =
  (usedOf: UsedOf, coming: ReadonlyMap<number, number>): UsedOf =>
  (volume) => {
    const used = usedOf(volume);
    if (used === undefined) return undefined;
    return Math.min(volume.length, Math.max(0, used + (coming.get(volume.start) ?? 0)));
  };

/** What a volume’s file system is called. */
export const titleOf = ({ fileSystem, knownAs }: Pick<LaidVolume, 'fileSystem' | 'knownAs'>): string =>
  findKind(fileSystem)?.title ?? knownAs ?? 'content not known';
