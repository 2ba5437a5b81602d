export { swapDriver } from './driver';
export { SWAP } from './kinds';
