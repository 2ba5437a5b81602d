/** A job: one disk's layout now and planned, with every edit undoable. Plain data, kept in the browser's storage. */
import { layoutOf, type Survey } from '@/core/inspect';
import { beginHistory, layoutSchema, type History, type Layout } from '@/core/layout';
import type { Recipe } from '@/core/practice';
import type { RanLayouts } from '@/core/report';
import * as z from 'zod';

/** Versioned: what was stored is read through {@link parseJob}. */
export interface JobState {
  readonly version: 2;
  /** As the disk is, with the letters and roles this job knows. */
  readonly now: Layout;
  readonly history: History<Layout>;
  /** The layout before the last run, once there was one. */
  readonly before?: Layout;
  /** The layouts before the runs before that, the oldest first. */
  readonly earlier?: readonly Layout[];
  readonly wishes?: JobWishes;
  /** What the last run did, for its certificate. */
  readonly ran?: RanLayouts;
  /** For the customer. */
  readonly notes?: string;
}

/** What a person wants of the plan beside the layout. */
export interface JobWishes {
  /** Go on with volumes whose check found errors. */
  readonly override?: boolean;
  readonly checkAtNextStart?: boolean;
  /** Failing places go out of use. */
  readonly retireFailing?: boolean;
  /** The disk on whose unallocated space volumes may be set aside. */
  readonly asideOn?: string;
  /** A practice disk takes as long as its medium would. */
  readonly paced?: boolean;
}

const turnSchema = z.object({ state: layoutSchema, name: z.string(), gesture: z.string().optional() });

const jobSchema: z.ZodType<JobState> = z.object({
  version: z.literal(2),
  now: layoutSchema,
  history: z.object({ past: z.array(turnSchema), present: layoutSchema, future: z.array(turnSchema) }),
  before: layoutSchema.optional(),
  earlier: z.array(layoutSchema).optional(),
  wishes: z
    .object({
      override: z.boolean().optional(),
      checkAtNextStart: z.boolean().optional(),
      retireFailing: z.boolean().optional(),
      asideOn: z.string().optional(),
      paced: z.boolean().optional(),
    })
    .optional(),
  notes: z.string().optional(),
  ran: z
    .object({
      before: layoutSchema,
      planned: layoutSchema,
      used: z.record(z.string(), z.number()),
      coming: z.record(z.string(), z.number()).optional(),
    })
    .optional(),
});

/** A job as it was stored, or undefined when that can't be read. */
export function parseJob(stored: unknown): JobState | undefined {
  return stored === undefined ? undefined : jobSchema.safeParse(stored).data;
}

/** More runs than anybody takes back. */
const MOST_EARLIER = 100;

/** A job for a disk as it is. */
export function beginJob(survey: Survey, recipe?: Recipe): JobState {
  const now = withRecipe(layoutOf(survey), recipe);
  return { version: 2, now, history: beginHistory(now) };
}

/** Letters and roles that the recipe's machine gave its volumes. */
function withRecipe(layout: Layout, recipe: Recipe | undefined): Layout {
  if (!recipe) return layout;
  const volumes = layout.volumes.map((volume, i) => {
    const told = recipe.volumes[i];
    if (!told) return volume;
    // A role that is said goes before one that was guessed from type and content.
    const role = told.role === 'data' ? volume.role : told.role;
    const guarded = volume.guarded || (role !== 'data' && role !== 'system');
    return { ...volume, role, guarded, ...(told.letter ? { letter: told.letter } : {}) };
  });
  return { ...layout, volumes };
}

/** The job after a run: what was planned is now, and the plan begins from there. */
export function afterRun(job: JobState, survey: Survey): JobState {
  const planned = job.history.present;
  const found = layoutOf(survey);
  const volumes = found.volumes.map((volume) => {
    const was = planned.volumes.find((v) => v.start === volume.start);
    if (!was) return volume;
    return { ...volume, role: was.role, guarded: was.guarded, ...(was.letter ? { letter: was.letter } : {}) };
  });
  const now = { ...found, volumes };
  const { notes, ran, before } = job;
  const earlier = before ? [...(job.earlier ?? []), before].slice(-MOST_EARLIER) : undefined;
  return {
    ...{ version: 2, now, history: beginHistory(now), before: job.now },
    ...(earlier ? { earlier } : {}),
    ...(notes ? { notes } : {}),
    ...(ran ? { ran } : {}),
  };
}

/** The job after the last run was taken back: as it was before that. A run that never wrote leaves it as it is. */
export function afterRewind(job: JobState, survey: Survey, recipe?: Recipe): JobState {
  const { notes, earlier = [] } = job;
  const kept = notes ? { notes } : {};
  const befores = [...earlier, ...(job.before ? [job.before] : [])];
  const at = befores.findLastIndex((layout) => placesOf(layout) === placesOf(layoutOf(survey)));
  if (at < 0) return { ...beginJob(survey, recipe), ...kept };
  const now = befores[at]!;
  const before = befores[at - 1];
  return {
    ...{ version: 2, now, history: beginHistory(now), ...kept },
    ...(before ? { before, earlier: befores.slice(0, at - 1) } : {}),
  };
}

const placesOf = ({ diskSize, table, volumes }: Layout): string =>
  JSON.stringify([diskSize, table, volumes.map((v) => [v.start, v.length])]);

/** Whether a job is of the disk as it was found: same volumes in the same places. */
export const fitsDisk = (job: JobState, survey: Survey): boolean => placesOf(job.now) === placesOf(layoutOf(survey));

/** Whether the disk is as a job planned it to become. */
export const reachedPlan = (job: JobState, survey: Survey): boolean =>
  placesOf(job.history.present) === placesOf(layoutOf(survey));
