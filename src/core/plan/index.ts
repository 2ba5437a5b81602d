export { tableFor } from './table-entries';
export { derivePlan } from './derive';
export { deriveRestore } from './derive-restore';
export type { PlanOptions } from './options';
export type { PlannedTransfer } from './transfers';
export type { Failing } from './hazards';
export { secondsFor, speedOf } from './medium';
export type { MediumKind, MediumSpeed } from './medium';
export type { SourceDisk } from './subjects';
export { alsoWritten, planSchema } from './plan';
export type { Plan, PlanSource } from './plan';
export type { Gives, LeftLink } from './steps';
export {
  overlapsItself,
  stepLent,
  stepReason,
  stepTable,
  stepTouches,
  stepWords,
  stepWrites,
  wayOf,
  wipeWords,
} from './steps';
export type {
  AdoptStep,
  CarryStep,
  CheckStep,
  ClearStep,
  CompareStep,
  EmptyStep,
  GrowStep,
  IdentifyStep,
  MakeStep,
  MarkStep,
  MendStep,
  ProveStep,
  RelabelStep,
  RemoveStep,
  RetireStep,
  SettleStep,
  ShrinkStep,
  Step,
  StepsByKind,
  TableStep,
  TransferStep,
  WipeStep,
} from './steps';
export { startBehind } from './rounds';
export { durationWords, lossWords } from './words';
export { windowOf, windowsOf } from './move-window';
export { otherDisks, placesElsewhere, scratchOn, stillFree, wantingIn } from './scratch';
export type { Scratch } from './scratch';
export { ownersBefore, provePlan } from './verify';
export { coursesByVolume, expectedSeconds, paceOf, paceSchema, secondsLeft, timeShare, USUAL_PACE } from './progress';
export type { Course, Ground, Pace, VolumeCourse } from './progress';
