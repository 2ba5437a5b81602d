export { Divide, mainOf } from './Divide';
