export { Bench } from './Bench';
export { OpenImage } from './OpenImage';
export { pickFile } from './OpenImage';
export { saveList } from './save-list';
