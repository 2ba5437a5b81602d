import { defineConfig } from '@playwright/test';
import { CHROMIUM } from './scripts/chromium';

const PORT = 3187;

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
    baseURL: `http://localhost:${PORT}`,
    viewport: { width: 1280, height: 800 },
    // A dialog that is still on its way moves out from under the mouse where the machine has other work.
    contextOptions: { reducedMotion: 'reduce' },
    launchOptions: CHROMIUM,
  },
  webServer: {
    command: `npx next start -H 127.0.0.1 -p ${PORT}`,
    url: `http://localhost:${PORT}/`,
    env: { ULLAGER_DEMO: '1' },
    reuseExistingServer: false,
  },
});
