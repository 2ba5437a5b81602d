/** What a plan is about: volumes that are kept, each with how it is now, and volumes that are copied, with their originals. */
import { hasErrors } from '@/core/errors';
import {
  highestNumber,
  laidFrom,
  volumeNumbered,
  type MendNote,
  type Survey,
  type SurveyedVolume,
} from '@/core/inspect';
import type { CopyOrigin, LaidVolume, Layout } from '@/core/layout';
import { HERE, type DiskId, type Place, type Stretch } from '@/core/place';
import type { Failing } from './hazards';
import type { MediumSpeed } from './medium';
import { refused } from './refused';

/** Another disk that volumes, or files, are taken from. */
export interface SourceDisk {
  readonly disk: DiskId;
  /** What the disk is called in sentences. */
  readonly name: string;
  readonly survey: Survey;
  /** Stretches of it that are known to fail. */
  readonly failing?: Failing;
  /** How fast it is, where that is known. */
  readonly speed?: MediumSpeed;
}

/** A kept volume with how it is now. */
export interface Kept {
  readonly planned: LaidVolume;
  readonly now: SurveyedVolume;
  readonly before: LaidVolume;
  /** What mends it first, or takes it up where no entry names it; everything else finds it so. */
  readonly mending?: { readonly lost: boolean; readonly mends: readonly MendNote[]; readonly was?: Place };
}

/** A copy with its original. */
export interface Copied {
  readonly planned: LaidVolume;
  readonly origin: CopyOrigin;
  /** The number that the plan gives it, behind those that the disk's own volumes have. */
  readonly number: number;
  readonly original: SurveyedVolume;
  /** The disk that the original is on. */
  readonly survey: Survey;
  /** What the original is of this disk, if it is on this one. */
  readonly here: 'kept' | 'going' | undefined;
  /** Where the original is when it is copied. */
  readonly from: Place;
  /** How fast the disk is that it is read from, where that is another one. */
  readonly speed: MediumSpeed | undefined;
  /** Every byte is copied, as nothing is sure of what is in it. */
  readonly whole: boolean;
}

/** A place on the disk that a plan is drawn on. */
export const placeOf = ({ start, length }: Stretch): Place => ({ disk: HERE, start, length });

/** All kept volumes of a planned layout. @throws CoreError `plan.refused` */
export function keptOf(survey: Survey, planned: Layout): Kept[] {
  return planned.volumes.flatMap((volume): Kept[] => {
    if (volume.origin.kind !== 'kept') return [];
    const { number } = volume.origin;
    const found = volumeNumbered(survey, number);
    if (!found) throw refused('volume.missing', { number });
    const before = laidFrom(found);
    const mends = found.seen?.mends ?? [];
    if (found.lost) return [{ planned: volume, now: found, before, mending: { lost: true, mends } }];
    const longer = givenRoom(found, volume);
    if (longer) return [longer];
    if (!planned.mend || mends.length === 0) return [{ planned: volume, now: found, before }];
    return [{ planned: volume, now: found.seen!.volume, before, mending: { lost: false, mends } }];
  });
}

/** A volume that is longer than its place, once it has the room that it says it has. */
function givenRoom(found: SurveyedVolume, planned: LaidVolume): Kept | undefined {
  const { seen, start, length } = found;
  const claimed = seen?.volume.info?.size ?? 0;
  if (claimed <= length || seen!.mends.length > 0) return undefined;
  if (planned.start !== start || planned.length < claimed) return undefined;
  const now = { ...seen!.volume, length: planned.length, findings: [] };
  const before = { ...laidFrom(found), length: planned.length };
  return { planned, now, before, mending: { lost: false, mends: [], was: placeOf(found) } };
}

/** All copies of a planned layout. @throws CoreError `plan.refused` where an original is not there */
export function copiedOf(
  survey: Survey,
  planned: Layout,
  kept: readonly Kept[],
  disks: readonly SourceDisk[],
): Copied[] {
  const highest = highestNumber(survey);
  const copies = planned.volumes.filter((v) => v.origin.kind === 'copy');
  return copies.map((volume, i): Copied => {
    const origin = volume.origin as CopyOrigin;
    const { disk, number } = origin.of;
    const source = disk === HERE ? survey : disks.find((d) => d.disk === disk)?.survey;
    const original = source?.volumes.find((v) => v.number === number);
    if (!source || !original) throw refused('copy.not-at-hand', { volume: origin.name, disk: origin.diskName });
    const stays = disk === HERE ? kept.find((k) => k.now.number === number && !k.planned.format) : undefined;
    const from = stays
      ? placeOf({ start: stays.planned.start, length: Math.min(stays.planned.length, stays.before.length) })
      : { disk, start: original.start, length: original.length };
    return {
      planned: volume,
      origin,
      number: highest + 1 + i,
      original,
      survey: source,
      here: disk !== HERE ? undefined : stays ? 'kept' : 'going',
      from,
      speed: disks.find((d) => d.disk === disk)?.speed,
      whole: !original.info || hasErrors(original.findings),
    };
  });
}
