export { ntfsDriver } from './driver';
export { NTFS } from './kinds';
