export { openImageDevice } from './open-image';
export type { OpenImageHow } from './open-image';
export { Session } from './session';
