export { Bench } from './Bench';
export { OpenImage } from './OpenImage';
export { pickFiles } from './OpenImage';
export { saveList } from './save-list';
