export { Columns } from './Columns';
export { layoutColumn } from './geometry';
