/** How much of a planned volume is in use, as far as that is known. */
import { findKind } from '@/core/fs';
import { inUse } from '@/core/goal';
import type { Survey } from '@/core/inspect';
import type { LaidVolume, Layout } from '@/core/layout';
import { HERE, type Place } from '@/core/place';
import type { Step } from '@/core/plan';

/** How much of a volume is in use; undefined where what it holds is not known. */
export type UsedOf = (volume: LaidVolume) => number | undefined;

/** What is in use by what a survey found. */
export const usedBy =
  (survey: Survey): UsedOf =>
  (volume) =>
    inUse(survey, volume);

/** Bytes of files that come to planned volumes, less those that go; none of a volume where it stays as it is. */
export function comingBy(steps: readonly Step[], { volumes }: Pick<Layout, 'volumes'>): Map<string, number> {
  const keyOf = ({ disk, start }: Omit<Place, 'length'>): string => `${start} ${disk}`;
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
  return new Map(
    volumes.flatMap(({ id, start }) => {
      const bytes = by.get(keyOf({ disk: HERE, start }));
      return bytes === undefined ? [] : [[id, bytes] as const];
    }),
  );
}

/** How much of a planned volume is in use once its plan was carried out, files that come and go counted. */
export function usedAfter(usedOf: UsedOf, coming: ReadonlyMap<string, number>): UsedOf {
  // The same function where nothing comes or goes: what is drawn by it need not be drawn anew.
  if (coming.size === 0) return usedOf;
  return (volume) => {
    const used = usedOf(volume);
    if (used === undefined) return undefined;
    return Math.min(volume.length, Math.max(0, used + (coming.get(volume.id) ?? 0)));
  };
}

/** What a volume’s file system is called. */
export const titleOf = ({ fileSystem, knownAs }: Pick<LaidVolume, 'fileSystem' | 'knownAs'>): string =>
  findKind(fileSystem)?.title ?? knownAs ?? 'content not known';
