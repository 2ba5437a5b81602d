/** Builds the service worker: bundled, with the list of all that the application is made of and the build's own version. */
import { getManifest } from '@serwist/build';
import { build } from 'esbuild';
import { readFileSync } from 'node:fs';

const version = readFileSync('.next/BUILD_ID', 'utf8').trim();
const { manifestEntries, warnings } = await getManifest({
  globDirectory: '.',
  globPatterns: ['.next/static/**/*.{js,css,woff2,wasm}', 'public/icon.svg'],
  maximumFileSizeToCacheInBytes: 20 * 1024 * 1024,
  // Names of the build's own files change with their content.
  dontCacheBustURLsMatching: /^\.next\/static\//,
  manifestTransforms: [
    (entries) => ({
      manifest: entries.map((e) => ({
        ...e,
        url: e.url.replace(/^\.next\/static\//, '/_next/static/').replace(/^public\//, '/'),
      })),
      warnings: [],
    }),
  ],
});
if (warnings?.length || !manifestEntries?.length) throw new Error(`nothing to keep: ${warnings?.join(' ')}`);
await build({
  entryPoints: ['src/offline/sw.ts'],
  outfile: 'public/sw.js',
  bundle: true,
  minify: true,
  format: 'iife',
  target: 'es2022',
  define: {
    'self.__SW_MANIFEST': JSON.stringify(manifestEntries),
    'self.__VERSION': JSON.stringify(version),
    'process.env.NODE_ENV': '"production"',
  },
});
