export { Bench } from './Bench';
export { OpenImage } from './OpenImage';
