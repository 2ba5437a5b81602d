import { availableParallelism } from 'node:os';
import { fileURLToPath } from 'node:url';
import { defineConfig } from 'vitest/config';

const alias = { '@': fileURLToPath(new URL('./src', import.meta.url)) };
const project = (name: string, include: string[], testTimeout: number) => ({
  resolve: { alias },
  test: { name, include, testTimeout, hookTimeout: testTimeout, environment: 'node' as const },
});

export default defineConfig({
  test: {
    // One file a core; left alone it keeps a core free for watching.
    maxWorkers: availableParallelism(),
    projects: [
      project('unit', ['src/**/*.test.ts', 'scripts/**/*.test.ts'], 240_000),
      project('fuzz', ['fuzz/**/*.test.ts'], 600_000),
      project('interop', ['interop/**/*.test.ts'], 900_000),
    ],
  },
});
