export { boundsOf } from './bounds';
export { detectSectorSize, layoutOf, surveyDisk } from './survey';
export type { Survey, SurveyedVolume } from './survey';
