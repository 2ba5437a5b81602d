import { defineConfig } from '@playwright/test';

const PORT = 3187;
/** Where the page is served to the browser tests. */
export const ORIGIN = `http://localhost:${PORT}`;

export default defineConfig({
  testDir: 'e2e',
  // What is waited for is what happens; these only end a test that hangs, on the slowest machine that is thought of.
  timeout: 300_000,
  expect: { timeout: 120_000, toPass: { timeout: 120_000 } },
  // Every test has a browser profile, and so a bench, of its own.
  fullyParallel: true,
  workers: 2,
  reporter: [['list']],
  use: {
    baseURL: ORIGIN,
    // A dialog that is still on its way moves out from under the mouse where the machine has other work.
    contextOptions: { reducedMotion: 'reduce' },
  },
  webServer: {
    command: `npx next start -H 127.0.0.1 -p ${PORT}`,
    url: `${ORIGIN}/`,
    env: { ULLAGER_DEMO: '1' },
    reuseExistingServer: false,
  },
});
