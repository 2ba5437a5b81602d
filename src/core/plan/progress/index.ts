export { coursesByVolume } from './by-volume';
export type { VolumeCourse } from './by-volume';
export { expectedSeconds, paceOf, paceSchema, secondsLeft, timeShare, USUAL_PACE } from './pace';
export type { Course, Ground, Pace } from './pace';
