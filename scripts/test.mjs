// Everything, from a fresh clone: installs what is missing, then lint, types, unit, fuzz, interop and browser tests.
import { spawn } from 'node:child_process';
import { existsSync } from 'node:fs';

const env = { ...process.env, NEXT_TELEMETRY_DISABLED: '1' };
const seconds = (since) => Math.round((Date.now() - since) / 1000);
const begun = Date.now();

/** What a stage prints is shown whole when it ends, so that two at once can be told apart. */
async function stage(name, command, args, alone = false) {
  const started = Date.now();
  const child = spawn(command, args, { stdio: alone ? 'inherit' : ['ignore', 'pipe', 'pipe'], env });
  let said = '';
  for (const stream of [child.stdout, child.stderr]) stream?.on('data', (text) => (said += text));
  const code = await new Promise((resolve) => child.on('close', (status) => resolve(status ?? 1)));
  console.log(`${said}== ${name}: ${code === 0 ? 'passed' : 'FAILED'} in ${seconds(started)} s`);
  if (code !== 0) process.exit(code);
}

const npx = (name, ...args) => stage(name, 'npx', args);

if (!existsSync('node_modules/next')) await stage('install', 'npm', ['ci'], true);
await stage('readers and browser', 'node', ['scripts/readers.mjs'], true);
await Promise.all([
  npx('lint', 'eslint', '.', '--max-warnings', '0')
    .then(() => npx('format', 'prettier', '--check', '.'))
    .then(() => npx('unused', 'knip')),
  stage('build', 'npm', ['run', 'build']).then(() => npx('types', 'tsc', '--noEmit')),
]);
await stage('unit, fuzz and interop', 'npx', ['vitest', 'run'], true);
await stage('browser', 'npx', ['playwright', 'test'], true);
console.log(`== all passed in ${seconds(begun)} s`);
