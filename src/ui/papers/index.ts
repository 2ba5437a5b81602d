export { JobDialog } from './JobDialog';
export { Notes, PlanPapers, saveJobFile, savePicture } from './PlanPapers';
export { RunLog } from './RunLog';
export { RunPapers } from './RunPapers';
