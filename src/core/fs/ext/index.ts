export { extDriver } from './driver';
export { EXT } from './kinds';
