/** What the browser tests share: a bench that is ready, a disk in hand, an image file. */
import AxeBuilder from '@axe-core/playwright';
import { expect, type FileChooser, type Locator, type Page } from '@playwright/test';
import { spawnSync } from 'node:child_process';
import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

export const STICK = 'Label printer stick';

/**
 * A browser that was told to save data: the page fetches nothing and builds no practice disk ahead of what is asked for.
 * Each test is a browser that has nothing of the page, and all of that would be half of its work.
 */
const savingData = (page: Page): Promise<unknown> =>
  page.addInitScript(() => Object.defineProperty(navigator, 'connection', { value: { saveData: true } }));

/**
 * Opens the page without file pickers, as a browser that has none, so that plain inputs and downloads are tested.
 * @param whole what comes by itself once the page is quiet comes too
 */
export async function openBench(page: Page, whole = false): Promise<void> {
  if (!whole) await savingData(page);
  await page.addInitScript(() => {
    const none = { showOpenFilePicker: undefined, showSaveFilePicker: undefined, showDirectoryPicker: undefined };
    Object.assign(window, none);
    // Who was shown round already is not shown round again.
    localStorage.setItem('ullager-walked', 'before');
  });
  await page.goto('/');
  await expect(page.getByRole('button', { name: `Open ${STICK}` })).toBeEnabled();
}

/** What a person who can't see the page, or can't point at it, would stumble over. */
export async function axe(page: Page): Promise<void> {
  const { violations } = await new AxeBuilder({ page }).setLegacyMode(true).analyze();
  const serious = violations.filter((v) => v.impact === 'serious' || v.impact === 'critical');
  expect(serious.map((v) => `${v.id}: ${v.nodes.map((n) => n.html.slice(0, 160)).join(' | ')}`)).toEqual([]);
}

/** Takes a demo disk to Divide, once it is open. */
export async function divide(page: Page, name: string): Promise<void> {
  const disk = page.getByRole('button', { name: `Open ${name}` });
  await expect(disk).toBeEnabled();
  await disk.click();
  await page.getByRole('button', { name: 'Divide', exact: true }).click();
  await expect(page.getByText('Now', { exact: true })).toBeVisible();
}

/** Takes the demo stick to Divide. */
export const divideStick = (page: Page): Promise<void> => divide(page, STICK);

/** From what is planned to its proof. */
export async function runIt(page: Page): Promise<void> {
  await page.getByRole('button', { name: 'Review the work order' }).click();
  await page.getByRole('button', { name: 'Run the work order' }).click();
  await expect(page.getByText('Proven: every file is as it was')).toBeVisible();
}

/** The size field of the volume in hand. */
export async function typeSize(page: Page, text: string): Promise<void> {
  const field = page.getByLabel('Size', { exact: true });
  await field.fill(text);
  await field.press('Enter');
}

/** Takes a volume of the planned column in hand. */
export async function select(page: Page, name: RegExp): Promise<void> {
  await page.getByRole('group', { name: 'The disk now and planned' }).getByRole('button', { name }).click();
}

/** Gives a file to a button that asks for one. A page that was just loaded may be about to draw the button anew. */
export async function pick(page: Page, button: Locator, file: Parameters<FileChooser['setFiles']>[0]): Promise<void> {
  await expect(async () => {
    const chosen = page.waitForEvent('filechooser', { timeout: 15_000 });
    await Promise.all([chosen, button.click({ timeout: 15_000 })]);
    await (await chosen).setFiles(file);
  }).toPass();
}

/** Opens an image as a disk of its own. */
export async function openImage(page: Page, file: Parameters<FileChooser['setFiles']>[0]): Promise<void> {
  // On the bench, or at the end of the shelf beside every stage.
  await pick(page, page.getByRole('button', { name: /^Open (an image or a job…|a disk image)/ }), file);
}

/** What a store of the page holds. */
export function storedIn(page: Page, store: 'journal' | 'jobs' | 'settings'): Promise<unknown[]> {
  return page.evaluate(async (name) => {
    const answer = <T>(request: IDBRequest<T>): Promise<T> =>
      new Promise((resolve, reject) => {
        request.onsuccess = () => resolve(request.result);
        request.onerror = () => reject(request.error!);
      });
    const db = await answer(indexedDB.open('ullager'));
    const rows = await answer(db.transaction(name).objectStore(name).getAll());
    db.close();
    return rows as unknown[];
  }, store);
}

/** A tree of small files, in pieces, near the end of the volume. */
const SMALL = { count: 30, smallest: '2 KiB', largest: '90 KiB', fragments: 3 };
/** One that takes a run on half of 400 MiB a while to carry. */
export const MUCH = { count: 40, smallest: '3 MiB', largest: '4 MiB', fragments: 1 };

/** An image file made by the runner. */
export function makeImage(size = '48 MiB', tree: typeof SMALL = SMALL): string {
  const folder = mkdtempSync(join(tmpdir(), 'ullager-e2e-'));
  const recipe = join(folder, 'recipe.json');
  const fill = [
    { file: 'note.txt', text: 'hello from the stick' },
    { folder: 'a/b', name: 'file {nn}.bin', near: 0.8, ...tree },
  ];
  writeFileSync(
    recipe,
    JSON.stringify({
      version: 1,
      id: 'e2e',
      name: 'e2e',
      medium: 'usb',
      size,
      table: 'mbr',
      volumes: [{ fileSystem: 'fat16', label: 'E2E', fill }],
    }),
  );
  const image = join(folder, 'stick.img');
  const { status, stderr } = spawnSync('node', ['scripts/ullager.mjs', 'make', recipe, '--out', image], {
    encoding: 'utf8',
  });
  expect(status, stderr).toBe(0);
  return image;
}
