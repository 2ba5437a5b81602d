export { boundsOf } from './bounds';
export { copySourcesOf } from './copies';
export { identityOf, differenceOf, diskFactsSchema, factsOf } from './facts';
export type { DiskFacts } from './facts';
export { mostBytesFor } from './head';
export { hitsOf } from './hits';
export type { Hit } from './hits';
export { findLost } from './lost';
export type { FindOptions } from './lost';
export { surveyMends } from './mends';
export {
  detectSectorSize,
  fileSystemOf,
  highestNumber,
  knownInfo,
  laidFrom,
  layoutOf,
  surveyDisk,
  volumeNumbered,
} from './survey';
export type { Survey } from './survey';
export type { MendNote, OpenVolume, SurveyedVolume } from './survey-volume';
