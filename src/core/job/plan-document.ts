/** A plan as the runner prints it. */
import { stepWords, wayOf, type Plan, type Step } from '@/core/plan';

const CARRIED = { move: 'move', away: 'park', back: 'fetch', copy: 'copy' } as const;
const kindIn = (step: Step) => (step.kind === 'carry' ? CARRIED[wayOf(step)] : step.kind);

/** What `plan` prints. */
export function planDocument(plan: Plan, notes: readonly string[]) {
  return {
    version: 1 as const,
    steps: plan.steps.map((step) => ({
      ...stepWords(step),
      kind: kindIn(step),
      ...step.cost,
      loses: 'loses' in step ? (step.loses ?? null) : null,
    })),
    total: plan.total,
    loses: plan.loses,
    hazards: plan.hazards,
    after: plan.after,
    notes,
  };
}
