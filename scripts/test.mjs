// Everything, from a fresh clone: installs what is missing, then lint, types, unit, fuzz, interop and browser tests.
import { spawnSync } from 'node:child_process';
import { existsSync } from 'node:fs';

const env = { ...process.env, NEXT_TELEMETRY_DISABLED: '1' };
const stage = (name, command, args) => {
  const started = Date.now();
  console.log(`\n== ${name}`);
  const { status } = spawnSync(command, args, { stdio: 'inherit', env });
  console.log(`== ${name}: ${status === 0 ? 'passed' : 'FAILED'} in ${Math.round((Date.now() - started) / 1000)} s`);
  if (status !== 0) process.exit(status ?? 1);
};

if (!existsSync('node_modules/next')) stage('install', 'npm', ['ci']);
stage('readers and browser', 'node', ['scripts/readers.mjs']);
stage('lint', 'npx', ['eslint', '.', '--max-warnings', '0']);
stage('format', 'npx', ['prettier', '--check', '--log-level', 'warn', '.']);
stage('build', 'npm', ['run', 'build']);
stage('types', 'npx', ['tsc', '--noEmit']);
stage('unit, fuzz and interop', 'npx', ['vitest', 'run']);
stage('browser', 'npx', ['playwright', 'test']);
