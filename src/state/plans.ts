/** What views derive from plans: the work order itself, what it is derived with, and what it has to do with other disks. */
import { isCoreError } from '@/core/errors';
import { boundsOf, copySourcesOf } from '@/core/inspect';
import type { Bounds, CopySource, Layout } from '@/core/layout';
import { HERE } from '@/core/place';
import {
  alsoWritten,
  derivePlan,
  otherDisks,
  placesElsewhere,
  scratchOn,
  wantingIn,
  type MediumSpeed,
  type Plan,
  type PlannedTransfer,
  type PlanOptions,
  type Scratch,
  type SourceDisk,
} from '@/core/plan';
import { mediumOf as practiceMedium, recipeSpeed } from '@/core/practice';
import { useMemo } from 'react';
import { failingIn } from './health';
import { useHealth, type Current } from './selectors';
import { useBench, type BenchDisk, type HealthView } from './store';
import { useTransfers } from './transfers';

const NONE_LENT: readonly Scratch[] = [];

/** The work order for the planned layout, or why there is none. */
export interface PlanView {
  readonly plan: Plan | undefined;
  readonly refusal: string | undefined;
  /** What goes from volume to volume, as far as it has been looked at. */
  readonly transfers: readonly PlannedTransfer[];
  /** Set when the refusal can be overridden after a warning. */
  readonly overridable?: boolean;
  /** Set when room elsewhere would do, of a refusal or of volumes that get smaller for a time: disks that have it. */
  readonly asideOn?: readonly RoomElsewhere[];
}

/** A disk with an unallocated stretch of so many bytes. */
export interface RoomElsewhere {
  readonly id: string;
  readonly name: string;
  readonly bytes: number;
}

export function usePlan({ disk, job }: Pick<Current, 'disk' | 'job'>): PlanView {
  const disks = useBench((s) => s.disks);
  const planned = job?.history.present;
  const { survey } = disk;
  const options = usePlanOptions({ disk, job });
  const { transfers, fault } = useTransfers(disk.stored.id, planned, options.scratch ?? NONE_LENT);
  return useMemo(() => {
    if (!survey || !planned) return { plan: undefined, refusal: undefined, transfers: [] };
    if (!transfers) return { plan: undefined, refusal: fault ?? 'The folders are looked at…', transfers: [] };
    try {
      const plan = derivePlan(survey, planned, { ...options, transfers });
      const guarded = alsoWritten(plan).find((s) => disks.some((d) => d.stored.id === s.disk && d.stored.guarded));
      if (guarded) {
        const refusal = `Files are taken away from ${guarded.name}, which is guarded as a whole. Copy them, or lift its guard on the bench.`;
        return { plan: undefined, refusal, transfers };
      }
      const wanting = wantingIn(plan);
      return {
        plan,
        refusal: undefined,
        transfers,
        ...(wanting === undefined ? {} : { asideOn: roomElsewhere(disks, disk, wanting) }),
      };
    } catch (error) {
      if (!isCoreError(error)) throw error;
      const stuck = isCoreError(error, 'plan.stuck');
      return {
        plan: undefined,
        refusal: error.message,
        transfers,
        overridable: error.code === 'fs.unsound',
        ...(stuck ? { asideOn: roomElsewhere(disks, disk, error.facts.needed) } : {}),
      };
    }
  }, [survey, planned, options, transfers, fault, disks, disk]);
}

/** Other disks that may be written and have an unallocated stretch as long, the one with most of it first. */
function roomElsewhere(disks: readonly BenchDisk[], own: BenchDisk, needed: number): RoomElsewhere[] {
  return disks
    .flatMap(({ stored: { id, name, guarded }, survey }) => {
      if (!survey || id === own.stored.id || guarded || survey.sectorSize > own.survey!.sectorSize) return [];
      const bytes = Math.max(0, ...scratchOn(survey, id, name).map((s) => s.length));
      return bytes >= needed ? [{ id, name, bytes }] : [];
    })
    .sort((a, b) => b.bytes - a.bytes);
}

/** What plans on a disk are derived with: how fast it is, and what a person wishes. */
export function usePlanOptions({ disk, job }: Pick<Current, 'disk' | 'job'>): PlanOptions {
  const { source } = disk.stored;
  const recipe = source.kind === 'practice' ? source.recipe : undefined;
  const wishes = job?.wishes;
  const other = useBench((s) => s.disks.find((d) => d.stored.id === wishes?.asideOn && !d.stored.guarded));
  const disks = useSourceDisks(job?.history.present);
  const health = useHealth(disk.stored.id);
  return useMemo(() => {
    const scratch = other?.survey ? scratchOn(other.survey, other.stored.id, other.stored.name) : [];
    if (!recipe) {
      const speed = measuredSpeed(health);
      return { ...wishes, scratch, disks, failing: failingIn(health.scan), ...(speed ? { speed } : {}) };
    }
    const { weak, dead } = practiceMedium(recipe);
    return { ...wishes, scratch, disks, speed: recipeSpeed(recipe), failing: { weak, dead } };
  }, [recipe, wishes, other, disks, health]);
}

/** How fast an image file was read here, where that was measured: what plans on it are reckoned with. */
function measuredSpeed({ speeds }: Pick<HealthView, 'speeds'>): MediumSpeed | undefined {
  const last = speeds.findLast((s) => s.measured === 'file' && s.course.length > 0 && s.random.readsPerSecond > 0);
  if (!last) return undefined;
  const read = last.course.reduce((sum, c) => sum + c.bytesPerSecond, 0) / last.course.length;
  const seek = Math.max(0, 1 / last.random.readsPerSecond - last.random.size / read);
  return { read, write: read, seek };
}

/** The other disks that a layout takes volumes or files from. */
function sourceIdsOf(planned: Layout | undefined): Set<string> {
  const origins = planned?.volumes.map((v) => v.origin) ?? [];
  return new Set([
    ...origins.flatMap((o) => (o.kind === 'copy' && o.of.disk !== HERE ? [o.of.disk] : [])),
    ...(planned?.transfers ?? []).flatMap((t) => (t.from.disk === HERE ? [] : [t.from.disk])),
  ]);
}

/** Another disk as it is shown beside a plan. */
export interface ShownSource extends SourceDisk {
  /** Files are taken away from it. */
  readonly written: boolean;
}

const isTakenFrom = (planned: Layout | undefined, id: string): boolean =>
  planned?.transfers?.some((t) => t.from.disk === id && t.then === 'remove') ?? false;

/** The other disks that a layout reads, as far as they are open. */
export function useSourceDisks(planned: Layout | undefined): readonly ShownSource[] {
  const disks = useBench((s) => s.disks);
  return useMemo(() => {
    const read = sourceIdsOf(planned);
    return disks.flatMap(({ stored: { id, name, source }, survey }): ShownSource[] => {
      if (!survey || !read.has(id)) return [];
      const shown = { disk: id, name, survey, written: isTakenFrom(planned, id) };
      if (source.kind !== 'practice') return [shown];
      const { weak, dead } = practiceMedium(source.recipe);
      return [{ ...shown, failing: { weak, dead }, speed: recipeSpeed(source.recipe) }];
    });
  }, [planned, disks]);
}

/** A disk with what can be copied from it. */
export interface CopyDisk {
  readonly id: string;
  readonly name: string;
  readonly size: number;
  /** Set for the disk in hand itself. */
  readonly own: boolean;
  readonly sources: readonly CopySource[];
}

/** Every open disk that has volumes, the one in hand last, with what can be copied from it. */
export function useCopyDisks(own: string): readonly CopyDisk[] {
  const disks = useBench((s) => s.disks);
  const jobs = useBench((s) => s.jobs);
  return useMemo(() => {
    const found = disks.flatMap(({ stored: { id, name }, survey }): CopyDisk[] => {
      if (!survey || survey.volumes.length === 0) return [];
      const sources = copySourcesOf(survey, id === own ? HERE : id, name).map((source): CopySource => {
        // The role that the disk's own job knows goes before what was guessed.
        const known = jobs[id]?.now.volumes.find((v) => v.id === source.volume.id);
        const named = known ? { ...source.volume, role: known.role, letter: known.letter } : source.volume;
        const { letter: _none, ...volume } = named;
        return { ...source, volume };
      });
      return [{ id, name, size: survey.size, own: id === own, sources }];
    });
    return found.sort((a, b) => Number(a.own) - Number(b.own));
  }, [disks, jobs, own]);
}

/** What another disk's job has to do with this one, in words: its unfinished run, or its plan. */
export function useTie(id: string): string | undefined {
  return useBench(({ runs, disks, jobs }) => {
    const nameOf = (other: string): string => disks.find((d) => d.stored.id === other)?.stored.name ?? 'another disk';
    const [user, run] =
      Object.entries(runs).find(([, { state, plan }]) => state !== 'finished' && otherDisks(plan).has(id)) ?? [];
    if (run) {
      const written = alsoWritten(run.plan).some((s) => s.disk === id) ? 'is written for' : 'is read for';
      return `${placesElsewhere(run.plan).has(id) ? 'lends room to' : written} ${nameOf(user!)}`;
    }
    const [planner, job] = Object.entries(jobs).find(([, { history }]) => sourceIdsOf(history.present).has(id)) ?? [];
    return planner && `${isTakenFrom(job?.history.present, id) ? 'is written for' : 'is read for'} ${nameOf(planner)}`;
  });
}

export function useBounds(disk: BenchDisk): Bounds {
  const { survey } = disk;
  return useMemo(() => (survey ? boundsOf(survey) : new Map()), [survey]);
}
