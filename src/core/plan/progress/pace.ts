/**
 * How long a run takes on the machine that carries it out. What a medium needs is known by its kind; what an image file or
 * a disk in memory needs depends on the machine, and is reckoned with how long the like took before: earlier in the run
 * first of all, and else in earlier runs.
 */
import { z } from 'zod';
import type { Plan } from '../plan';
import type { Step } from '../steps';

/** What takes the time of a step. */
type Work = 'reading' | 'carrying' | 'writing';
const WORKS: readonly Work[] = ['reading', 'carrying', 'writing'];

/** How many times as long as reckoned each work took here. */
export type Pace = Readonly<Record<Work, number>>;

const factor = z.number().positive().max(1e6);
export const paceSchema: z.ZodType<Pace> = z.object({ reading: factor, carrying: factor, writing: factor });
export const USUAL_PACE: Pace = { reading: 1, carrying: 1, writing: 1 };

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
  /** The medium sets the pace, and not the machine. */
  readonly paced?: boolean;
}

/** Bytes a second that a usual machine reads and digests, and that it carries; seconds a file takes, and any step. */
const READS = 160e6;
const CARRIES = 1e9;
const FILE = 0.0003;
const STEP = 0.03;
/** Reckoned seconds for which what was known before weighs as much as what is measured. */
const TRUST = 0.5;
/** Seconds after which the step that goes on is its own best measure. */
const OWN = 1;

const workOf = ({ cost }: Step): Work => (cost.carries > 0 ? 'carrying' : cost.reads > 0 ? 'reading' : 'writing');

function filesIn(step: Step): number {
  if ('facts' in step) return step.facts.files;
  return 'files' in step ? step.files : 0;
}

const reckoned = (step: Step, paced: boolean): number =>
  paced
    ? Math.max(0.001, step.cost.seconds)
    : STEP +
      filesIn(step) * FILE +
      (workOf(step) === 'carrying' ? step.cost.carries / CARRIES : step.cost.reads / READS);

/** How the steps that are over went, by work; where there are none, what was known before stands. */
export function paceOf({ plan, began, took, paced = false }: Course, before: Pace): Pace {
  const factorOf = (work: Work): number => {
    let [is, was] = [TRUST * before[work], TRUST];
    for (const [i, seconds] of took.entries()) {
      const step = plan.steps[began + i];
      if (!step || workOf(step) !== work) continue;
      is += seconds;
      was += reckoned(step, paced);
    }
    return is / was;
  };
  const [reading, carrying, writing] = WORKS.map(factorOf) as [number, number, number];
  return { reading, carrying, writing };
}

/** Seconds that a whole run is expected to take. */
export const expectedSeconds = (plan: Pick<Plan, 'steps'>, before: Pace, paced = false): number =>
  secondsLeft({ plan, step: 0, began: 0, done: 0, total: 0, took: [], stepStartedAt: 0, paced }, before, 0);

/** Seconds left at the time `now`, in milliseconds. */
export function secondsLeft(course: Course, before: Pace, now: number): number {
  const { plan, began, took, step, done, total, stepStartedAt, paced = false } = course;
  const pace = paceOf(course, before);
  const at = began + took.length;
  const measured = new Map<number, number>();
  for (const [i, seconds] of took.entries()) {
    const over = plan.steps[began + i];
    if (over?.kind === 'check') measured.set(over.number, seconds);
  }
  const expected = (one: Step): number => {
    // What was read as the measure takes as long to be read again.
    const same = one.kind === 'prove' && !one.made ? measured.get(one.number) : undefined;
    return same ?? reckoned(one, paced) * pace[workOf(one)];
  };
  const current = plan.steps[at];
  if (!current) return 0;
  const share = step === at && total > 0 ? Math.min(1, done / total) : 0;
  const elapsed = Math.max(0, (now - stepStartedAt) / 1000);
  const whole = share > 0 && elapsed > OWN ? elapsed / share : expected(current);
  const rest = plan.steps.slice(at + 1).reduce((sum, one) => sum + expected(one), 0);
  return Math.max(0, whole * (1 - share)) + rest;
}

/** 0 to 1: how much of the time of a run is over, as far as that can be told at `now`. */
export function timeShare(course: Course, before: Pace, now: number): number {
  const { took, stepStartedAt } = course;
  const spent = took.reduce((sum, seconds) => sum + seconds, 0) + Math.max(0, (now - stepStartedAt) / 1000);
  const left = secondsLeft(course, before, now);
  return spent + left > 0 ? spent / (spent + left) : 0;
}
