/** The headless runner as a bundle, for tests that start it as a process. */
export { bundledRunner } from '../scripts/bundle-runner.mjs';
