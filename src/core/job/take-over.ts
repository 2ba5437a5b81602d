/** A job taken over on a disk in hand: what fits becomes the planned layout, what does not is told. */
import { CoreError, isCoreError } from '@/core/errors';
import { boundsOf, type Survey } from '@/core/inspect';
import { boundOf, endOf, isMade, lastUsable, nameOf, type LaidVolume, type Layout } from '@/core/layout';
import { HERE, type DiskId } from '@/core/place';
import { formatSize } from '@/core/size';
import { adaptedTarget, type JobFile } from './job-file';
import { resolveTarget } from './resolve-target';
import type { NamedSources } from './target-lookup';
import { transferWishes } from './resolve-transfers';
import type { Target } from './target';

/** What a job is taken over on. */
export interface TakeOver {
  readonly survey: Survey;
  /** The disk as it is known, with letters and roles that stand nowhere on it. */
  readonly now: Layout;
  /** Volumes of other disks, by the names that the job has for the disks. */
  readonly sources: NamedSources;
  /** What those disks are known by here. */
  readonly disks: ReadonlyMap<string, DiskId>;
}

/** A layout that comes of a job. */
export interface TakenOver {
  readonly layout: Layout;
  /** What of the job did not fit, in sentences; nothing where all of it did. */
  readonly left: readonly string[];
  readonly notes: readonly string[];
}

/** Takes over what fits. */
export function takeOver(job: JobFile, on: TakeOver): TakenOver {
  const { target, left } = adaptedTarget(job, on.survey);
  try {
    return { ...resolved(job, target, on), left };
  } catch (error) {
    if (!isCoreError(error)) throw error;
    return { ...resolved(job, withoutSizes(target, on.survey), on), left: [...left, error.message, LEFT_OUT] };
  }
}

const LEFT_OUT = 'Sizes, new volumes, folders and wipes are left out; labels, letters and roles are taken over.';

/** What is left of a target whose sizes do not fit: what its volumes are called, and what they are for. All stay. */
function withoutSizes({ volumes, ...rest }: Target, survey: Survey): Target {
  const kept = survey.volumes.map(({ number }) => {
    const entry = volumes.find((v) => 'keep' in v && v.keep === number);
    if (!entry || !('keep' in entry)) return { keep: number };
    const { size: _size, start: _start, ...named } = entry;
    return named;
  });
  return { ...rest, volumes: kept, remove: [], transfers: [], wipe: [], table: undefined };
}

/** @throws CoreError `plan.refused` where volumes would lie on each other, behind the end, or have less than their floor */
function assertRoom(layout: Layout, survey: Survey): void {
  const refuse = (reason: string): never => {
    throw new CoreError('plan.refused', { reason });
  };
  const bounds = boundsOf(survey);
  let end = 0;
  for (const volume of layout.volumes) {
    const floor = isMade(volume) ? 0 : (boundOf(volume, bounds)?.floor ?? 0);
    if (volume.start < end) refuse(`${nameOf(volume)} would begin before what stands before it ends.`);
    if (volume.length < floor) refuse(`${nameOf(volume)} can’t be smaller than ${formatSize(floor)}.`);
    end = endOf(volume);
  }
  if (end > lastUsable(layout)) refuse('The volumes of the job take more than there is on this disk.');
}

function resolved(job: JobFile, target: Target, on: TakeOver): Omit<TakenOver, 'left'> {
  const wanted = resolveTarget(on.survey, target, on.sources);
  const { layout, notes } = wanted;
  assertRoom(layout, on.survey);
  const transfers = transferWishes(target, wanted, new Set(on.disks.keys())).map((t) => ({
    ...t,
    from: { ...t.from, disk: t.from.disk === HERE ? HERE : (on.disks.get(t.from.disk) ?? t.from.disk) },
  }));
  const named = new Map<string, Extract<Target['volumes'][number], { keep: number }>>(
    target.volumes.flatMap((v) => ('keep' in v ? [[`kept-${v.keep}`, v] as const] : [])),
  );
  const volumes = layout.volumes.map((volume): LaidVolume => {
    const known = on.now.volumes.find((v) => v.id === volume.id);
    if (!known || volume.origin.kind !== 'kept') return volume;
    const entry = named.get(volume.id);
    const letter = entry?.letter === undefined ? known.letter : entry.letter;
    const { letter: _letter, ...rest } = volume;
    const guarded = known.guarded || job.guarded.includes(volume.origin.number);
    return { ...rest, guarded, role: entry?.role ?? known.role, ...(letter ? { letter } : {}) };
  });
  return { layout: { ...layout, volumes, ...(transfers.length > 0 ? { transfers } : {}) }, notes };
}
