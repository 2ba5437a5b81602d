import { availableParallelism } from 'node:os';
import { fileURLToPath } from 'node:url';
import { defineConfig } from 'vitest/config';

const alias = { '@': fileURLToPath(new URL('./src', import.meta.url)) };
const project = (name: string, include: string[], testTimeout: number, isolate = false) => ({
  resolve: { alias },
  test: { name, include, testTimeout, hookTimeout: testTimeout, environment: 'node' as const, isolate },
});
/** What has a state of its own, and so is loaded anew for each file; all else shares what it has loaded. */
const PAGE = ['src/state/**/*.test.ts', 'src/ui/**/*.test.ts'];

export default defineConfig({
  test: {
    // One file a core, and one while others wait for their disks and processes.
    maxWorkers: availableParallelism() + 1,
    projects: [
      project('unit', ['src/{app,cli,core,engine}/**/*.test.ts', 'scripts/**/*.test.ts'], 240_000),
      project('page', PAGE, 240_000, true),
      project('fuzz', ['fuzz/**/*.test.ts'], 600_000),
      project('interop', ['interop/**/*.test.ts'], 900_000),
    ],
  },
});
