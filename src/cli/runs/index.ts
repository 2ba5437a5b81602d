/** Runs by the runner: in place, into a new file, and back. */
export { assertWhole } from './also-marks';
export { idsToWrite } from './also-written';
export { besideDevice, keptName } from './on-device';
export { assertPapers } from './papers';
export { resumeInPlace, startInPlace } from './in-place';
export { rewindCopy, rewindInPlace } from './rewind';
export type { RunCall, RunOptions } from './run-options';
export { resumeToCopy, startToCopy } from './to-copy';
export { besideIn, dropWaysBack, waysBack } from './ways-back';
