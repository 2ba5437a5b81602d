/** What the browser tests share: a bench that is ready, a disk in hand, an image file. */
import { expect, type Page } from '@playwright/test';
import { spawnSync } from 'node:child_process';
import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

export const STICK = 'Label printer stick';

/** Opens the page without file pickers, as a browser that has none, so that plain inputs and downloads are tested. */
export async function openBench(page: Page): Promise<void> {
  await page.addInitScript(() => {
    Object.assign(window, { showOpenFilePicker: undefined, showSaveFilePicker: undefined });
  });
  await page.goto('/');
  await expect(page.getByRole('button', { name: `Open ${STICK}` })).toBeEnabled({ timeout: 40_000 });
}

/** Takes the demo stick to Divide. */
export async function divideStick(page: Page): Promise<void> {
  await page.getByRole('button', { name: `Open ${STICK}` }).click();
  await page.getByRole('button', { name: 'Divide', exact: true }).click();
  await expect(page.getByText('Now', { exact: true })).toBeVisible();
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

/** A small image file made by the runner. */
export function makeImage(size = '48 MiB'): string {
  const folder = mkdtempSync(join(tmpdir(), 'ullager-e2e-'));
  const recipe = join(folder, 'recipe.json');
  const fill = [
    { file: 'note.txt', text: 'hello from the stick' },
    { folder: 'a/b', count: 30, name: 'file {nn}.bin', smallest: '2 KiB', largest: '90 KiB', near: 0.8, fragments: 3 },
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
  const { status, stderr } = spawnSync('node', ['--import', 'tsx', 'src/cli/main.ts', 'make', recipe, '--out', image], {
    encoding: 'utf8',
  });
  expect(status, stderr).toBe(0);
  return image;
}
