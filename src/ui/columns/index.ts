export { Columns } from './Columns';
