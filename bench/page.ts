/** The page on loopback: what is sent for the first screen, and how long it takes to a bench that can be used. */
import { chromium, type Page } from '@playwright/test';
import { spawn } from 'node:child_process';
import { existsSync } from 'node:fs';
import { gzipSync } from 'node:zlib';
import { CHROMIUM } from '../scripts/chromium';
import { figure, median } from './figures';

const PORT = 3191;
const ROUNDS = 3;
/** A window that was just opened is busy with itself, which is none of the page's time. */
const WINDOW_MS = 3000;

/** Seconds to a page whose disks can be opened, in a browser that has nothing of it. */
async function load(page: Page): Promise<number> {
  const started = performance.now();
  await page.goto(`http://localhost:${PORT}/`, { waitUntil: 'commit' });
  const disk = page.getByRole('button', { name: 'Open Label printer stick' });
  await disk.and(page.locator(':enabled')).waitFor();
  return (performance.now() - started) / 1000;
}

/** Bytes of the scripts that the page names as its own, each packed by itself. */
async function scripts(): Promise<number> {
  const html = await (await fetch(`http://localhost:${PORT}/`)).text();
  const old = [...html.matchAll(/<script[^>]*noModule[^>]*>/gi)].join('');
  const names = new Set([...html.matchAll(/_next\/static\/chunks\/[^"\\]+\.js/g)].map(([name]) => name));
  let bytes = 0;
  for (const name of names) {
    if (old.includes(name)) continue;
    const script = await fetch(`http://localhost:${PORT}/${name}`);
    bytes += gzipSync(new Uint8Array(await script.arrayBuffer())).length;
  }
  return bytes;
}

/** The application that was built, served with its demo bench. */
export async function benchPage(): Promise<void> {
  if (!existsSync('.next/BUILD_ID')) {
    process.stdout.write('Page: not measured, the application is not built (npm run build)\n');
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
      const up = await fetch(`http://localhost:${PORT}/`).then(
        (response) => response.ok,
        () => false,
      );
      if (up) break;
      await new Promise((resolve) => setTimeout(resolve, 200));
    }
    const rounds: number[] = [];
    for (let n = 0; n < ROUNDS; n++) {
      const context = await browser.newContext({ viewport: { width: 1280, height: 800 } });
      await context.newPage();
      await new Promise((resolve) => setTimeout(resolve, WINDOW_MS));
      rounds.push(await load(await context.newPage()));
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
  } finally {
    await browser.close();
    server.kill();
  }
}
