/** The application that was built, served with its demo bench to a browser that has nothing of it. */
import { chromium, type Browser, type BrowserContext, type Page } from '@playwright/test';
import { spawn } from 'node:child_process';
import { existsSync } from 'node:fs';
import { CHROMIUM } from '../scripts/chromium';

const PORT = 3191;
export const ADDRESS = `http://localhost:${PORT}/`;
/** A window that was just opened is busy with itself, which is none of the page's time. */
const WINDOW_MS = 3000;

/** @param area what is said not to be measured where there is no application to be served */
export async function served(area: string, measure: (browser: Browser) => Promise<void>): Promise<void> {
  if (!existsSync('.next/BUILD_ID')) {
    process.stdout.write(`${area}: not measured, the application is not built (npm run build)\n`);
    return;
  }
  const env = { ...process.env, ULLAGER_DEMO: '1' };
  const server = spawn('node', ['node_modules/next/dist/bin/next', 'start', '-H', '127.0.0.1', '-p', String(PORT)], {
    env,
    stdio: 'ignore',
  });
  const browser = await chromium.launch(CHROMIUM);
  try {
    for (let tries = 0; tries < 100; tries++) {
      const up = await fetch(ADDRESS).then(
        (response) => response.ok,
        () => false,
      );
      if (up) break;
      await new Promise((resolve) => setTimeout(resolve, 200));
    }
    await measure(browser);
  } finally {
    await browser.close();
    server.kill();
  }
}

/** A page that nothing was loaded into yet, in a window that has come to rest. */
export async function freshPage(browser: Browser): Promise<{ context: BrowserContext; page: Page }> {
  const context = await browser.newContext({ viewport: { width: 1280, height: 800 } });
  await context.newPage();
  await new Promise((resolve) => setTimeout(resolve, WINDOW_MS));
  return { context, page: await context.newPage() };
}
