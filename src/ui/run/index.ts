export { Run } from './Run';
export { RunSigns } from './RunSigns';
