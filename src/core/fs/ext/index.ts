export { extDriver } from './driver';
