/** A work order as a value, and how it is read back from a journal. */
import { diskFactsSchema, type DiskFacts } from '@/core/inspect';
import type { DiskId } from '@/core/place';
import * as z from 'zod';
import {
  costSchema,
  lossSchema,
  placeSchema,
  stepSchema,
  stepWrites,
  type LentRoom,
  type Loss,
  type Step,
  type StepCost,
} from './steps';

/** Something the person must know or do, with how much it matters. */
export interface Hazard {
  readonly severity: 'info' | 'warning';
  readonly message: string;
}

/** Another disk with volumes that are read and stay there, with what is relied on of it. */
export interface PlanSource {
  readonly disk: DiskId;
  /** What the disk is called in sentences. */
  readonly name: string;
  readonly relies: DiskFacts;
}

/** A derived work order. The same inputs give the same plan. */
export interface Plan {
  /** The disk as it was when the plan was derived; it leads nowhere from any other. */
  readonly relies: DiskFacts;
  /** Other disks that volumes, or files, are taken from. */
  readonly sources: readonly PlanSource[];
  /** What other disks lend. */
  readonly lent: readonly LentRoom[];
  readonly steps: readonly Step[];
  readonly total: StepCost;
  /** The fewest bytes that any order could carry: what is in use of each volume that moves, else what is past its end. */
  readonly leastCarried: number;
  readonly loses: Loss;
  /** Why the machine the disk is in has to restart for this, if it has to. */
  readonly restart?: string;
  readonly hazards: readonly Hazard[];
  /** What must be set again afterwards. */
  readonly after: readonly string[];
}

/** Other disks that a plan writes too, since something is taken away from volumes there. */
export const alsoWritten = ({ sources, steps }: Pick<Plan, 'sources' | 'steps'>): PlanSource[] =>
  sources.filter(({ disk }) => steps.some((step) => stepWrites(step) === disk));

const MOST_STEPS = 100_000;

const lentSchema: z.ZodType<LentRoom> = placeSchema.and(z.object({ name: z.string().max(200) }));

/** A plan as it is read from a journal. */
export const planSchema: z.ZodType<Plan> = z.strictObject({
  relies: diskFactsSchema,
  sources: z
    .array(z.strictObject({ disk: z.string().max(200), name: z.string().max(200), relies: diskFactsSchema }))
    .max(100),
  lent: z.array(lentSchema).max(1000),
  steps: z.array(stepSchema).max(MOST_STEPS),
  total: costSchema,
  leastCarried: z.number().min(0),
  loses: lossSchema,
  restart: z.string().optional(),
  hazards: z.array(z.strictObject({ severity: z.enum(['info', 'warning']), message: z.string() })),
  after: z.array(z.string()),
});
