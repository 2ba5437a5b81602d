/** A job taken over on a disk in hand: what fits becomes the planned layout, what does not is told. */
import { isCoreError } from '@/core/errors';
import type { Survey } from '@/core/inspect';
import type { LaidVolume, Layout } from '@/core/layout';
import { HERE, type DiskId } from '@/core/place';
import { adaptedTarget, type JobFile } from './job-file';
import { resolveTarget, type NamedSources } from './resolve-target';
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
    return { ...resolved(job, withoutSizes(target), on), left: [...left, error.message, LEFT_OUT] };
  }
}

const LEFT_OUT = 'Sizes, new volumes, folders and wipes are left out; labels, letters and roles are taken over.';

/** What is left of a target whose sizes do not fit: what its volumes are called, and what they are for. */
function withoutSizes({ volumes, ...rest }: Target): Target {
  const kept = volumes.flatMap((v) => {
    if (!('keep' in v)) return [];
    const { size: _size, start: _start, ...named } = v;
    return [named];
  });
  return { ...rest, volumes: kept, remove: [], transfers: [], wipe: [], table: undefined };
}

function resolved(job: JobFile, target: Target, on: TakeOver): Omit<TakenOver, 'left'> {
  const wanted = resolveTarget(on.survey, target, on.sources);
  const { layout, notes } = wanted;
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
