/** Where the page meets storage that fails, files that moved, other tabs, and hands that press twice. */
import { expect } from '@playwright/test';
import { zipSync } from 'fflate';
import { readFileSync, writeFileSync } from 'node:fs';
import { gzipSync } from 'node:zlib';
import { divideStick, makeImage, openBench, openImage, pick, runIt, STICK } from './bench';
import { test } from './test';

test('Ctrl+Z undoes what the focused edge did, by arrow key and by drag, to the very beginning', async ({ page }) => {
  await openBench(page);
  await divideStick(page);
  const edge = page.getByRole('slider', { name: 'End of E LABELS' });
  await edge.focus();
  for (let n = 0; n < 3; n++) await page.keyboard.press('Shift+ArrowUp');
  await expect(page.getByText(/Shrink E LABELS/)).toBeVisible();
  for (let n = 0; n < 3; n++) await page.keyboard.press('Control+z');
  await expect(page.getByText('Nothing to do yet')).toBeVisible();
  await page.keyboard.press('Control+y');
  await expect(page.getByText(/Shrink E LABELS/)).toBeVisible();
});

test.describe('with dialogs that come and go in their own time', () => {
  test.use({ contextOptions: { reducedMotion: 'no-preference' } });

  test('what is typed while the commands are on their way is in their field', async ({ page }) => {
    await openBench(page);
    await divideStick(page);
    // Two keys in one go, quicker than any dialog is drawn.
    await page.evaluate(() => {
      const press = (key: string, more?: KeyboardEventInit): void => {
        document.body.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true, ...more }));
      };
      press('k', { code: 'KeyK', ctrlKey: true });
      return Promise.resolve().then(() => press('t', { code: 'KeyT' }));
    });
    const field = page.getByRole('combobox', { name: 'Command' });
    await expect(field).toHaveValue('t');
    await page.keyboard.type('o 3 GiB');
    await expect(field).toHaveValue('to 3 GiB');
    await page.keyboard.press('Enter');
    await expect(page.getByText('Shrink E LABELS to 3 GiB')).toBeVisible();
    // From a field of the form too, where a space would press what has the focus first.
    await page.getByLabel('Size', { exact: true }).focus();
    await page.keyboard.press('Control+k');
    await page.keyboard.type('to 4 GiB');
    await expect(field).toHaveValue('to 4 GiB');
    await page.keyboard.press('Enter');
    await expect(page.getByText('Shrink E LABELS to 4 GiB')).toBeVisible();
  });

  test('commands asked for while the last ones are still leaving begin with an empty field', async ({ page }) => {
    await openBench(page);
    await divideStick(page);
    await page.keyboard.press('Control+k');
    const field = page.getByRole('combobox', { name: 'Command' });
    await page.keyboard.type('to 3 GiB');
    await expect(field).toHaveValue('to 3 GiB');
    // Quicker than any dialog goes.
    await field.evaluate((input) => {
      const press = (on: Element, key: string, more?: KeyboardEventInit): void => {
        on.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true, ...more }));
      };
      press(input, 'Enter');
      return Promise.resolve().then(() => press(document.body, 'k', { code: 'KeyK', ctrlKey: true }));
    });
    await page.keyboard.type('to 4 GiB');
    await expect(field).toHaveValue('to 4 GiB');
    await page.keyboard.press('Enter');
    await expect(page.getByText('Shrink E LABELS to 4 GiB')).toBeVisible();
  });
});

test('Run is pressed twice and begins once: the run goes on to its end', async ({ page }) => {
  await openBench(page);
  await divideStick(page);
  await page.getByRole('button', { name: 'Split' }).click();
  await page.getByRole('button', { name: 'Review the work order' }).click();
  const box = (await page.getByRole('button', { name: 'Run the work order' }).boundingBox())!;
  const [x, y] = [box.x + box.width / 2, box.y + box.height / 2];
  await page.mouse.click(x, y, { clickCount: 2, delay: 5 });
  for (let n = 0; n < 4; n++) await page.mouse.click(x, y);
  await expect(page.getByText('Proven: every file is as it was')).toBeVisible();
});

test('storage that takes nothing more is said, with what takes how much; the page goes on', async ({ page }) => {
  await openBench(page);
  await divideStick(page);
  await page.evaluate(() => {
    const fail = (): never => {
      throw new DOMException('no room', 'QuotaExceededError');
    };
    Object.assign(IDBObjectStore.prototype, { put: fail, add: fail });
  });
  await page.getByRole('button', { name: 'Split' }).click();
  await expect(page.getByText(/storage is full/i).first()).toBeVisible();
  await expect(page.getByRole('region', { name: 'What takes the storage' })).toBeVisible();
  await expect(page.getByText(/Make D, /)).toBeVisible();
});

test('where the browser has no room for a cache the page loads all the same', async ({ page, baseURL }) => {
  const session = await page.context().newCDPSession(page);
  await session.send('Storage.overrideQuotaForOrigin', { origin: new URL(baseURL!).origin, quotaSize: 100_000 });
  await openBench(page);
  for (let n = 0; n < 2; n++) {
    await page.reload();
    await expect(page.getByRole('button', { name: `Open ${STICK}` })).toBeEnabled();
  }
  await divideStick(page);
});

test('where nothing can be kept that is said within seconds', async ({ page }) => {
  await page.addInitScript(() => {
    Object.defineProperty(window, 'indexedDB', { value: undefined });
  });
  await page.goto('/');
  await expect(page.getByText('The bench can’t be opened here.')).toBeVisible({ timeout: 60_000 });
});

test('an engine that says nothing is noticed, and can be started anew', async ({ page }) => {
  // A worker that was taken away without a word: it neither answers nor gives a sign of life.
  await page.addInitScript(() => {
    const Own = Worker;
    let silent = false;
    Object.assign(window, { silence: () => (silent = true), Worker: undefined });
    window.Worker = class extends Own {
      constructor(url: string | URL, options?: WorkerOptions) {
        super(url, options);
        silent = false;
        this.addEventListener('message', (event) => silent && event.stopImmediatePropagation());
      }
    } as typeof Worker;
  });
  await openBench(page);
  await page.evaluate(() => (window as unknown as { silence: () => void }).silence());
  const anew = page.getByRole('button', { name: 'Start the engine anew' });
  await expect(anew).toBeVisible({ timeout: 60_000 });
  await anew.click();
  await expect(anew).toHaveCount(0);
  await divideStick(page);
});

test('a file with two disks in it is asked about, and a file that is known is found again', async ({ page }) => {
  const image = makeImage('20 MiB');
  const bytes = readFileSync(image);
  const other = bytes.slice();
  other[other.length - 600] = 1;
  const zip = `${image}.zip`;
  writeFileSync(zip, zipSync({ 'README.txt': new Uint8Array(2000).fill(65), 'one.img': bytes, 'two.img': other }));
  await openBench(page);
  await openImage(page, zip);
  await page.getByRole('button', { name: 'two.img' }).click();
  await expect(page.getByRole('button', { name: 'Divide this disk' })).toBeVisible();
  await page.getByRole('button', { name: 'Ullager, to the bench' }).click();
  await openImage(page, image);
  await expect(page.getByRole('button', { name: 'Divide this disk' })).toBeVisible();
  await page.getByRole('button', { name: 'Ullager, to the bench' }).click();
  await openImage(page, image);
  await expect(page.getByRole('button', { name: 'Divide this disk' })).toBeVisible();
  await page.getByRole('button', { name: 'Ullager, to the bench' }).click();
  for (const name of ['Open two', 'Open stick'])
    await expect(page.getByRole('button', { name, exact: true })).toHaveCount(1);
});

test('an image in parts is one disk, runs and is proven, and is found again by all of its parts', async ({ page }) => {
  const image = makeImage('20 MiB');
  const bytes = readFileSync(image);
  const parts = [3, 1, 2].map((n) => {
    const path = `${image}.00${n}`;
    writeFileSync(path, bytes.subarray((n - 1) * 8 * 2 ** 20, n * 8 * 2 ** 20));
    return path;
  });
  await openBench(page);
  await openImage(page, [parts[0]!, parts[1]!]);
  await expect(page.getByText(/its part stick\.img\.002 was not picked with it/)).toBeVisible();
  await openImage(page, parts);
  await page.getByRole('button', { name: 'Divide this disk' }).click();
  await page.getByRole('button', { name: 'Split' }).click();
  await runIt(page);
  await page.reload();
  await page.getByRole('button', { name: 'Ullager, to the bench' }).click();
  await pick(page, page.getByRole('button', { name: 'Open again' }), parts);
  await page.getByRole('button', { name: 'Open stick', exact: true }).click();
  await expect(page.getByRole('button', { name: 'Divide this disk' })).toBeVisible();
  expect(readFileSync(image).equals(bytes)).toBe(true);
});

test('what a packed image unpacks to and memory shall not hold is put aside, used, and given back', async ({
  page,
}) => {
  const image = makeImage('88 MiB', { count: 29, smallest: '2 MiB', largest: '3 MiB', fragments: 2 });
  const packed = `${image}.gz`;
  writeFileSync(packed, gzipSync(readFileSync(image), { level: 1 }));
  const aside = (): Promise<number[]> =>
    page.evaluate(async () => {
      const root = await navigator.storage.getDirectory();
      const folder = await root.getDirectoryHandle('unpacked', { create: true });
      const sizes: number[] = [];
      for await (const one of (folder as unknown as { values(): AsyncIterable<FileSystemFileHandle> }).values())
        sizes.push((await one.getFile()).size);
      return sizes;
    });
  await openBench(page);
  await openImage(page, packed);
  await page.getByRole('button', { name: 'Divide this disk' }).click();
  const [size, ...others] = await aside();
  expect(size).toBeGreaterThan(2 ** 20);
  expect(others).toEqual([]);
  await page.getByRole('button', { name: 'Split' }).click();
  await runIt(page);
  await page.reload();
  await page.getByRole('button', { name: 'Ullager, to the bench' }).click();
  await expect(page.getByRole('button', { name: 'Open again' })).toBeVisible();
  expect(await aside()).toEqual([]);
});

test('the engine’s worker may reach nowhere, and other names are not served', async ({ page, request }) => {
  let policy = '';
  page.on('response', (response) => {
    if (response.url().includes('/_next/static/') && response.url().includes('.js'))
      policy = response.headers()['content-security-policy'] ?? '';
  });
  await openBench(page);
  expect(policy).toContain("connect-src 'none'");
  const [worker] = page.workers();
  const reached = await worker!.evaluate(() => fetch('/api/demo').then(String, () => 'refused'));
  expect(reached).toBe('refused');
  expect((await request.get('/', { headers: { host: 'elsewhere.example' } })).status()).toBe(421);
});

test('a file is saved before the service worker is there, which then comes for it', async ({ page }) => {
  await openBench(page);
  await openImage(page, makeImage());
  const save = page.getByRole('button', { name: 'Save note.txt' });
  await expect(save).toBeVisible();
  expect(await page.evaluate(async () => (await navigator.serviceWorker.getRegistrations()).length)).toBe(0);
  const [saved] = await Promise.all([page.waitForEvent('download'), save.click()]);
  expect(readFileSync((await saved.path())!, 'utf8')).toBe('hello from the stick');
});

test('a part of the page that can’t be fetched says so, and the page goes on once its server is back', async ({
  page,
}) => {
  // What comes when there is time does not come.
  await page.addInitScript(() => delete (window as Partial<Window>).requestIdleCallback);
  await openBench(page);
  await page.route('**/_next/static/chunks/**', (route) => route.abort());
  await page.getByRole('button', { name: `Open ${STICK}` }).click();
  await expect(page.getByText('This part of the page could not be fetched.')).toBeVisible();
  await page.unroute('**/_next/static/chunks/**');
  await page.getByRole('button', { name: 'Load the page again' }).click();
  await expect(page.getByRole('button', { name: 'Divide this disk' })).toBeVisible();
});

test('what is pressed before the page’s scripts are there is done once they are', async ({ page }) => {
  await openBench(page);
  await page.getByRole('button', { name: `Open ${STICK}` }).click();
  await expect(page.getByRole('button', { name: 'Divide this disk' })).toBeVisible();
  let goOn = (): void => undefined;
  const pressed = new Promise<void>((resolve) => (goOn = resolve));
  await page.route('**/_next/static/chunks/*.js', (route) => pressed.then(() => route.continue()));
  await page.reload({ waitUntil: 'commit' });
  await page.getByRole('button', { name: 'Ullager, to the bench' }).click();
  goOn();
  await expect(page.getByRole('button', { name: `Open ${STICK}` })).toBeEnabled();
  await expect(page.getByRole('button', { name: 'Divide this disk' })).toHaveCount(0);
});

test('whoever goes elsewhere while the bench is being opened stays there', async ({ page }) => {
  await openBench(page);
  await page.getByRole('button', { name: `Open ${STICK}` }).click();
  await expect(page.getByRole('button', { name: 'Divide this disk' })).toBeVisible();
  let goOn = (): void => undefined;
  const went = new Promise<void>((resolve) => (goOn = resolve));
  await page.route('**/api/demo', (route) => went.then(() => route.continue()));
  await Promise.all([page.waitForRequest('**/api/demo'), page.reload()]);
  await page.getByRole('button', { name: 'Ullager, to the bench' }).click();
  goOn();
  await expect(page.getByRole('button', { name: `Open ${STICK}` })).toBeEnabled();
  await expect(page.getByRole('button', { name: 'Divide this disk' })).toHaveCount(0);
});
