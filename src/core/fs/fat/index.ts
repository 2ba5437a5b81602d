export { fatDriver } from './driver';
export { FAT } from './kinds';
