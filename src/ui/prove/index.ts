export { Prove } from './Prove';
