export { ntfsDriver } from './driver';
