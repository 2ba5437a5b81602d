export { Advice } from './Advice';
