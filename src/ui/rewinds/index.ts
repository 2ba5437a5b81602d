export { Rewinds } from './Rewinds';
