export { Run } from './Run';
