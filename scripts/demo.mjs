// One command from a fresh clone to the running bench: installs, builds and starts with the demo disks.
import { spawnSync } from 'node:child_process';
import { existsSync } from 'node:fs';

const run = (command, args, env = {}) => {
  const { status } = spawnSync(command, args, {
    stdio: 'inherit',
    env: { ...process.env, NEXT_TELEMETRY_DISABLED: '1', ...env },
  });
  if (status !== 0) process.exit(status ?? 1);
};

if (!existsSync('node_modules/next')) run('npm', ['ci']);
run('npm', ['run', 'build']);
// On this machine only, unless asked otherwise.
const host = process.env.HOST ?? '127.0.0.1';
run('npx', ['next', 'start', '-H', host, '-p', process.env.PORT ?? '3000'], { ULLAGER_DEMO: '1' });
