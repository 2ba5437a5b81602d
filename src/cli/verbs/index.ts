/** The verbs of the runner. */
export { check, files, inspect, plan } from './look';
export { convert, make } from './make';
export { list, picture, sheet } from './papers';
export { rewinds } from './rewinds';
export { run } from './run';
export { restoreTable, saveTable, showTable } from './table';
export { find, scan, speed } from './health';
