export {
  addPractice,
  ask,
  dismissProblem,
  dismissRefusal,
  edit,
  explain,
  look,
  openBench,
  openFile,
  redoEdit,
  removeDisk,
  reopen,
  resumeRunning,
  rewind,
  startRunning,
  stopRunning,
  undoEdit,
  wish,
  useBench,
} from './bench';
export type { Asking, BenchDisk, RunView, Stage } from './bench';
export type { JobState } from './job';
export {
  changesIn,
  failingWords,
  mediumOf,
  mediumWords,
  useBorrower,
  useBounds,
  useCurrent,
  usePlan,
  usePlanOptions,
} from './selectors';
export type { Current, PlanView, RoomElsewhere } from './selectors';
