// The runner as bundles that node starts at once, named after the sources they are made of.
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readdirSync, renameSync, rmSync, statSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

const ROOT = dirname(dirname(fileURLToPath(import.meta.url)));
const CACHE = join(ROOT, 'node_modules', '.cache', 'ullager');
const DAY_MS = 24 * 60 * 60 * 1000;

/** Names, sizes and dates of everything the bundles are made of. */
function keyOfSources() {
  const hash = createHash('sha256');
  const add = (path) => {
    const { size, mtimeMs } = statSync(join(ROOT, path));
    hash.update(`${path} ${size} ${mtimeMs}\n`);
  };
  for (const folder of ['src/core', 'src/cli'])
    for (const entry of readdirSync(join(ROOT, folder), { recursive: true }).sort())
      if (entry.endsWith('.ts') && !entry.endsWith('.test.ts')) add(join(folder, entry));
  for (const file of ['package-lock.json', 'scripts/bundle-runner.mjs']) add(file);
  return hash.digest('hex').slice(0, 16);
}

/**
 * What `node` is given to start the runner; bundled anew where the sources have changed since. `command.mjs` stands beside
 * it, for those that give one process several command lines.
 */
export async function bundledRunner() {
  const folder = join(CACHE, keyOfSources());
  const main = join(folder, 'main.mjs');
  if (existsSync(main)) return main;
  // Loaded when it is needed, which is not at most starts.
  const { buildSync } = await import('esbuild');
  // It has its name only once it is whole, whoever else makes it at the same time.
  const making = `${folder}-${process.pid}`;
  mkdirSync(making, { recursive: true });
  buildSync({
    absWorkingDir: ROOT,
    entryPoints: { main: 'src/cli/main.ts', command: 'src/cli/command.ts' },
    outdir: making,
    outExtension: { '.js': '.mjs' },
    bundle: true,
    splitting: true,
    platform: 'node',
    format: 'esm',
    target: 'node20',
    // Packages that are not modules ask for others by this name.
    banner: {
      js: "import { createRequire as requiring } from 'node:module'; const require = requiring(import.meta.url);",
    },
    alias: { '@': './src' },
    // Large, and loaded only when a paper is set.
    external: ['pdfkit', 'fontkit'],
    // Shorter by a half, and compiled in so much less time.
    minifyWhitespace: true,
    minifySyntax: true,
    logLevel: 'error',
  });
  try {
    renameSync(making, folder);
  } catch (error) {
    rmSync(making, { recursive: true, force: true });
    if (!existsSync(main)) throw error;
  }
  dropOld(folder);
  return main;
}

/** Bundles of sources that are no more, a day after they were made. */
function dropOld(current) {
  for (const name of readdirSync(CACHE)) {
    const path = join(CACHE, name);
    if (path === current || Date.now() - statSync(path).mtimeMs < DAY_MS) continue;
    rmSync(path, { recursive: true, force: true });
  }
}
