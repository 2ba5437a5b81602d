/** How every kind of step is carried out. A kind that is not in the record below does not compile. */
import type { Step, StepsByKind } from '@/core/plan';
import { carry, empty } from './carry';
import { grow, identify, make, mark, relabel, remove, retire, settle, shrink, table } from './changing';
import { mend } from './mending';
import { check, prove } from './reading';
import type { StepContext, StepRunner } from './step-context';
import { adopt, clear, compare, transfer } from './transferring';
import { wipe } from './wiping';

const RUNNERS: { readonly [K in keyof StepsByKind]: StepRunner<StepsByKind[K]> } = {
  mend,
  wipe,
  check,
  settle,
  retire,
  shrink,
  carry,
  empty,
  remove,
  table,
  identify,
  grow,
  make,
  relabel,
  adopt,
  transfer,
  compare,
  clear,
  prove,
  mark,
};

/** Carries a step out; it is marked done when this returns. */
export const performStep = (step: Step, context: StepContext): Promise<void> =>
  (RUNNERS[step.kind] as StepRunner<Step>)(step, context);

export { proveVolume } from './reading';
export { StepContext } from './step-context';
export { expectedOf, measuresFor } from './transferring';
