export { exfatDriver } from './driver';
