export { Look } from './Look';
