/** The verbs of the runner. */
export { check, files, inspect, plan } from './look';
export { convert, make } from './make';
export { run } from './run';
export { find, scan, speed } from './health';
