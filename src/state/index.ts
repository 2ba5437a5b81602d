export {
  addPractice,
  cancelOpening,
  dismissChoice,
  eachPicked,
  openFile,
  openFiles,
  removeDisk,
  reopen,
} from './disks';
export type { PickedFile } from './picked';
export { openBench } from './opening';
export { checkAgain, dropScan, dropSpeed, findMends, findVolumes, measureDisk, pauseTask, scanDisk } from './health';
export { agoWords, whenWords } from './dates';
export type { JobState } from './job';
export { disksFor, dismissJob, fitOf, jobFileOf, takeJob } from './job-files';
export { edit, redoEdit, setNotes, undoEdit, wish } from './jobs';
export { dismissFull, show } from './keeping';
export { guardDisk, listOf, lostWith, renameDisk } from './plates';
export { certificateOf, pictureOfDisk, sheetOf } from './papers';
export { resumeRunning, startRunning, stopRunning } from './runs';
export { dropWayBack, rewind, useWaysBack } from './ways-back';
export type { WayBack } from './ways-back';
export {
  changesIn,
  failingWords,
  mediumWords,
  useTie,
  useBounds,
  useCurrent,
  useFindingWords,
  useHealth,
  useScanWords,
  useSpeeds,
  useCopyDisks,
  usePlan,
  usePlanOptions,
  useSourceDisks,
} from './selectors';
export type { CopyDisk, Current, PlanView, RoomElsewhere, ShownSource } from './selectors';
export { isGoing, unfinished, useBench } from './store';
export type { BenchDisk, Choosing, LookTab, RunView, Stage } from './store';
export { savesData } from './thrift';
export { ask, dismissProblem, dismissRefusal, explain, look } from './view';
