export { tableFor } from './table-entries';
export { derivePlan, deriveRestore } from './derive';
export type { PlanOptions } from './derive';
export { secondsFor, speedOf } from './medium';
export type { MediumKind, MediumSpeed } from './medium';
export type {
  CheckStep,
  Elsewhere,
  FetchStep,
  GrowStep,
  Hazard,
  Loss,
  MakeStep,
  MoveStep,
  ParkStep,
  Plan,
  ProofBy,
  ProveStep,
  RelabelStep,
  RemoveStep,
  Scratch,
  ShrinkStep,
  Step,
  StepCost,
  Stretch,
  TableStep,
} from './steps';
export { durationWords, lossWords, stepReason, stepWords } from './words';
export type { StepWords } from './words';
export { windowOf, windowsOf } from './move-window';
export type { Failing } from './hazards';
export { placesElsewhere, scratchOn } from './scratch';
