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
export { openBench, sendForBench } from './opening';
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
export { useBounds, useCopyDisks, usePlan, usePlanOptions, useSourceDisks, useTie } from './plans';
export type { CopyDisk, PlanView, RoomElsewhere, ShownSource } from './plans';
export {
  changesIn,
  failingWords,
  mediumWords,
  useCurrent,
  useFindingWords,
  useHealth,
  useScanWords,
  useSpeeds,
} from './selectors';
export type { Current } from './selectors';
export { isGoing, unfinished, useBench } from './store';
export type { BenchDisk, Choosing, LookTab, RunView, Stage } from './store';
export { savesData } from './thrift';
export { ask, dismissProblem, dismissRefusal, explain, look } from './view';
