export { Sound } from './Sound';
