export { openImageDevice } from './open-image';
export type { OpenedDevice } from './open-image';
export { Session } from './session';
