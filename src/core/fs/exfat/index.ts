export { exfatDriver } from './driver';
export { EXFAT } from './kinds';
