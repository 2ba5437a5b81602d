export { openImageDevice } from './open-image';
export { Session } from './session';
