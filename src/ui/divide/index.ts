export { Divide } from './Divide';
