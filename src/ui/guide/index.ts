export { KEYS, SIZES } from './keys';
export { guideText } from './markdown';
export { TASKS } from './tasks';
