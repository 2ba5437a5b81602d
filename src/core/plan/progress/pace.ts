/**
 * How long a run takes on the machine that carries it out. What a medium needs is known by its kind; what an image file or
 * a disk in memory needs depends on the machine, and is reckoned with how long the like took before: earlier in the run
 * first of all, and else in earlier runs.
 */
import * as z from 'zod';
import type { Plan } from '../plan';
import type { Step } from '../steps';

/** What takes the time of a step. */
type Work = 'reading' | 'carrying' | 'writing';
const WORKS: readonly Work[] = ['reading', 'carrying', 'writing'];

/**
 * What sets the pace: the medium; the machine, which reads and digests every byte; or the machine again, where content is
 * made up and compared by what it is made of, so that files count and bytes do not.
 */
export type Ground = 'medium' | 'bytes' | 'references';

type Factors = Readonly<Record<Work, number>>;
/** How many times as long as reckoned each work took here, on either ground of the machine’s own. */
export type Pace = Readonly<Record<Exclude<Ground, 'medium'>, Factors>>;

const factor = z.number().positive().max(1e6);
const factors = z.object({ reading: factor, carrying: factor, writing: factor });
export const paceSchema: z.ZodType<Pace> = z.object({ bytes: factors, references: factors });
const USUAL: Factors = { reading: 1, carrying: 1, writing: 1 };
export const USUAL_PACE: Pace = { bytes: USUAL, references: USUAL };

/** A run as far as it has come. */
export interface Course {
  readonly plan: Pick<Plan, 'steps'>;
  readonly step: number;
  /** The step it was begun or taken up with. */
  readonly began: number;
  readonly done: number;
  readonly total: number;
  /** Seconds each finished step took, from the one it was begun with. */
  readonly took: readonly number[];
  /** When the step that goes on was begun, in milliseconds. */
  readonly stepStartedAt: number;
  readonly ground: Ground;
}

/** Bytes a second that a usual machine reads and digests, and that it carries; seconds a file takes, and any step. */
const READS = 220e6;
const CARRIES = 700e6;
const FILE = 0.0002;
const STEP = 0.03;
/** Reckoned seconds for which what was known before weighs as much as what is measured. */
const TRUST = 0.5;
/** The share of a step for which what was expected of it weighs: its first bytes may be its slowest. */
const EXPECTED_WEIGHT = 0.2;

const workOf = ({ cost }: Step): Work => (cost.carries > 0 ? 'carrying' : cost.reads > 0 ? 'reading' : 'writing');

function filesIn(step: Step): number {
  if ('facts' in step) return step.facts.files;
  return 'files' in step ? step.files : 0;
}

function reckoned(step: Step, ground: Ground): number {
  const { seconds, reads, carries } = step.cost;
  if (ground === 'medium') return Math.max(0.001, seconds);
  const bytes = ground === 'references' ? 0 : workOf(step) === 'carrying' ? carries / CARRIES : reads / READS;
  return STEP + filesIn(step) * FILE + bytes;
}

const factorsOf = (pace: Pace, ground: Ground): Factors => (ground === 'medium' ? USUAL : pace[ground]);

/** How the steps that are over went, by work; where there are none, what was known before stands. */
export function paceOf(course: Course, before: Pace): Pace {
  const { ground } = course;
  return ground === 'medium' ? before : { ...before, [ground]: measured(course, before) };
}

function measured({ plan, began, took, ground }: Course, before: Pace): Factors {
  const known = factorsOf(before, ground);
  const factorOf = (work: Work): number => {
    let [is, was] = [TRUST * known[work], TRUST];
    for (const [i, seconds] of took.entries()) {
      const step = plan.steps[began + i];
      if (!step || workOf(step) !== work) continue;
      is += seconds;
      was += reckoned(step, ground);
    }
    return is / was;
  };
  const [reading, carrying, writing] = WORKS.map(factorOf) as [number, number, number];
  return { reading, carrying, writing };
}

/** Seconds that a whole run is expected to take. */
export const expectedSeconds = (plan: Pick<Plan, 'steps'>, before: Pace, ground: Ground): number =>
  secondsLeft({ plan, step: 0, began: 0, done: 0, total: 0, took: [], stepStartedAt: 0, ground }, before, 0);

/** Seconds left at the time `now`, in milliseconds. */
export function secondsLeft(course: Course, before: Pace, now: number): number {
  const { plan, began, took, step, done, total, stepStartedAt, ground } = course;
  const factors = measured(course, before);
  const at = began + took.length;
  const checked = new Map<number, number>();
  for (const [i, seconds] of took.entries()) {
    const over = plan.steps[began + i];
    if (over?.kind === 'check') checked.set(over.number, seconds);
  }
  const expected = (one: Step): number => {
    // What was read as the measure takes as long to be read again.
    const same = one.kind === 'prove' && !one.made ? checked.get(one.number) : undefined;
    return same ?? reckoned(one, ground) * factors[workOf(one)];
  };
  const current = plan.steps[at];
  if (!current) return 0;
  const share = step === at && total > 0 ? Math.min(1, done / total) : 0;
  const elapsed = Math.max(0, (now - stepStartedAt) / 1000);
  const whole = expected(current);
  // Bytes tell how far a step is only where bytes take the time.
  const left =
    ground === 'references' || share === 0
      ? Math.max(0, whole - elapsed)
      : ((elapsed + EXPECTED_WEIGHT * whole) / (share + EXPECTED_WEIGHT)) * (1 - share);
  const rest = plan.steps.slice(at + 1).reduce((sum, one) => sum + expected(one), 0);
  return left + rest;
}

/** 0 to 1: how much of the time of a run is over, as far as that can be told at `now`. */
export function timeShare(course: Course, before: Pace, now: number): number {
  const { took, stepStartedAt } = course;
  const spent = took.reduce((sum, seconds) => sum + seconds, 0) + Math.max(0, (now - stepStartedAt) / 1000);
  const left = secondsLeft(course, before, now);
  return spent + left > 0 ? spent / (spent + left) : 0;
}
