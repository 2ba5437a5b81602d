// Installs what the interop and browser tests need and the machine lacks, with Debian's package manager.
import { spawnSync } from 'node:child_process';

const WANTED = {
  mmls: 'sleuthkit',
  '7zz': '7zip',
  'grub-fstest': 'grub-common',
  file: 'file',
  pdftotext: 'poppler-utils',
  chromium: 'chromium',
};

const has = (command) => spawnSync('sh', ['-c', `command -v ${command}`]).status === 0;
const missing = Object.entries(WANTED).filter(([command]) => !has(command));
if (missing.length > 0) {
  const packages = missing.map(([, name]) => name);
  const install = (args) =>
    spawnSync('apt-get', args, { stdio: 'inherit', env: { ...process.env, DEBIAN_FRONTEND: 'noninteractive' } }).status;
  install(['update', '-qq']);
  if (install(['install', '-y', '-qq', '--no-install-recommends', ...packages, 'fonts-noto-core']) !== 0) {
    console.error(`Could not install ${packages.join(', ')}; install them by hand.`);
    process.exit(1);
  }
}
