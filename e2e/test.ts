/**
 * The browser of the tests: each worker has one profile for all of its tests. What is kept in it of the page's scripts, and
 * compiled of them, is kept; what the page itself keeps is not, so that each test begins with an empty bench.
 */
import { chromium, test as base, type BrowserContext } from '@playwright/test';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { ORIGIN } from '../playwright.config';
import { CHROMIUM } from '../scripts/chromium';

/** What is cleared of what the page may keep: all but what the browser keeps of what it fetched. */
const CLEARED =
  'cookies,file_systems,indexeddb,local_storage,service_workers,cache_storage,interest_groups,shared_storage';

export const test = base.extend<object, { profile: BrowserContext }>({
  profile: [
    async ({}, use) => {
      const folder = mkdtempSync(join(tmpdir(), 'ullager-profile-'));
      const context = await chromium.launchPersistentContext(folder, {
        ...CHROMIUM,
        viewport: { width: 1280, height: 800 },
        baseURL: ORIGIN,
      });
      await use(context);
      await context.close();
      rmSync(folder, { recursive: true, force: true });
    },
    { scope: 'worker' },
  ],
  context: async ({ profile }, use) => {
    await use(profile);
    await profile.setOffline(false);
    await profile.unrouteAll({ behavior: 'ignoreErrors' });
    // One page has to stay, or the browser ends.
    const blank = await profile.newPage();
    for (const page of profile.pages()) if (page !== blank) await page.close();
    const session = await profile.newCDPSession(blank);
    await session.send('Storage.clearDataForOrigin', { origin: ORIGIN, storageTypes: CLEARED });
    await session.detach();
  },
  page: async ({ context, contextOptions }, use) => {
    const page = await context.newPage();
    await page.emulateMedia({ reducedMotion: contextOptions.reducedMotion ?? null });
    await use(page);
  },
});
