export { fatDriver } from './driver';
