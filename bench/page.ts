/** The page on loopback: what is sent for the first screen, and how long it takes to a bench that can be used. */
import type { Page } from '@playwright/test';
import { gzipSync } from 'node:zlib';
import { figure, median } from './figures';
import { ADDRESS, freshPage, served } from './served';

const ROUNDS = 3;

/** Seconds to a page whose disks can be opened. */
async function load(page: Page): Promise<number> {
  const started = performance.now();
  await page.goto(ADDRESS, { waitUntil: 'commit' });
  const disk = page.getByRole('button', { name: 'Open Label printer stick' });
  await disk.and(page.locator(':enabled')).waitFor();
  return (performance.now() - started) / 1000;
}

/** Bytes of the scripts that the page names as its own, each packed by itself. */
async function scripts(): Promise<number> {
  const html = await (await fetch(ADDRESS)).text();
  const old = [...html.matchAll(/<script[^>]*noModule[^>]*>/gi)].join('');
  const names = new Set([...html.matchAll(/_next\/static\/chunks\/[^"\\]+\.js/g)].map(([name]) => name));
  let bytes = 0;
  for (const name of names) {
    if (old.includes(name)) continue;
    const script = await fetch(ADDRESS + name);
    bytes += gzipSync(new Uint8Array(await script.arrayBuffer())).length;
  }
  return bytes;
}

export const benchPage = (): Promise<void> =>
  served('Page', async (browser) => {
    const rounds: number[] = [];
    for (let n = 0; n < ROUNDS; n++) {
      const { context, page } = await freshPage(browser);
      rounds.push(await load(page));
      await context.close();
    }
    figure({
      area: 'Page',
      what: 'scripts of the first screen, packed',
      value: (await scripts()) / 1000,
      unit: 'kB',
      better: 'less',
      wanted: 300,
    });
    figure({
      area: 'Page',
      what: 'from the address to a bench that can be used, nothing of it in the browser before',
      value: median(rounds),
      unit: 's',
      better: 'less',
      wanted: 1,
    });
  });
