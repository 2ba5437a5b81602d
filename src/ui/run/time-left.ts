/** The time left of a run: the estimate, corrected by how long it really took so far. */
import type { RunView } from '@/state';

type Timed = Pick<RunView, 'plan' | 'step' | 'began' | 'done' | 'total' | 'took' | 'stepStartedAt'>;

/** Seconds left at the time `now` in milliseconds. Before anything was measured the estimate stands as it is. */
export function timeLeft(run: Timed, now: number): number {
  const { steps } = run.plan;
  const estimate = (from: number, to: number): number =>
    steps.slice(from, to).reduce((sum, s) => sum + s.cost.seconds, 0);
  const at = run.began + run.took.length;
  const current = steps[at]?.cost.seconds ?? 0;
  const share = run.step === at && run.total > 0 ? Math.min(1, run.done / run.total) : 0;
  const elapsed = share > 0 ? (now - run.stepStartedAt) / 1000 : 0;
  const took = run.took.reduce((sum, seconds) => sum + seconds, 0) + elapsed;
  const expected = estimate(run.began, at) + current * share;
  const overall = took > 0 && expected > 0 ? took / expected : 1;
  // The step that is going on is its own best measure; what follows is judged by all there was.
  const own = elapsed > 1 ? elapsed / (current * share) : overall;
  return own * current * (1 - share) + overall * estimate(at + 1, steps.length);
}
