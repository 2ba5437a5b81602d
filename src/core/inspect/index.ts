export { boundsOf } from './bounds';
export { copySourcesOf } from './copies';
export { differenceOf, diskFactsSchema, factsOf } from './facts';
export type { DiskFacts } from './facts';
export { mostBytesFor } from './head';
export { detectSectorSize, fileSystemOf, layoutOf, surveyDisk } from './survey';
export type { OpenVolume, Survey, SurveyedVolume } from './survey';
