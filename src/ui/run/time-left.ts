/** The time left of a run: the estimate, corrected by how long finished steps really took. */
import type { RunView } from '@/state';

/** Seconds left. Before anything is finished the estimate stands as it is. */
export function timeLeft(run: Pick<RunView, 'plan' | 'step' | 'done' | 'total' | 'took'>): number {
  const { steps } = run.plan;
  const finished = run.took.length;
  const estimate = (from: number, to: number): number =>
    steps.slice(from, to).reduce((sum, s) => sum + s.cost.seconds, 0);
  const expected = estimate(run.step - finished + 1, run.step + 1);
  const took = run.took.reduce((sum, seconds) => sum + seconds, 0);
  const factor = finished > 0 && expected > 0 ? took / expected : 1;
  const share = run.total > 0 ? Math.min(1, run.done / run.total) : 0;
  const current = steps[run.step]?.cost.seconds ?? 0;
  return factor * (current * (1 - share) + estimate(run.step + 1, steps.length));
}
