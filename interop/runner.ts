/** The headless runner, bundled once for all tests that start it as a process: a start takes a quarter of the time. */
import { buildSync } from 'esbuild';
import { mkdirSync } from 'node:fs';
import { join } from 'node:path';

const folder = 'node_modules/.cache/ullager';

/** What `node` is given to start the runner; bundled anew for each process that asks, since the sources may have changed. */
export function bundledRunner(): string {
  mkdirSync(folder, { recursive: true });
  const outfile = join(folder, `runner-${process.pid}.mjs`);
  buildSync({
    entryPoints: ['src/cli/main.ts'],
    outfile,
    bundle: true,
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
  return outfile;
}
