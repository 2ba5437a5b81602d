export { swapDriver } from './driver';
