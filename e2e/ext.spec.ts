import { expect, type Page } from '@playwright/test';
import { divide, openBench, runIt, select, typeSize } from './bench';
import { test } from './test';

async function runAndProve(page: Page): Promise<void> {
  await runIt(page);
}

test('the card of a single-board computer is divided: its root gets smaller, and data a volume of its own', async ({
  page,
}) => {
  await openBench(page);
  await page.getByRole('button', { name: 'Open Glasshouse card' }).click();
  await expect(page.getByRole('cell', { name: 'ext4', exact: true })).toBeVisible();
  await expect(page.getByRole('cell', { name: 'swap', exact: true }).first()).toBeVisible();
  await page.getByRole('button', { name: 'Divide', exact: true }).click();
  await select(page, /root/);
  await typeSize(page, '5 GiB');
  await expect(page.getByText(/Shrink root to 5 GiB/)).toBeVisible();
  await runAndProve(page);
});

test('a second system of the other family beside the first, in five clicks', async ({ page }) => {
  await openBench(page);
  await divide(page, 'Front desk SSD'); // two clicks
  await page.getByRole('button', { name: 'Goals' }).click();
  await page.getByRole('radio', { name: /root and swap/ }).click();
  await page.getByRole('button', { name: 'Fill the plan' }).click();
  await expect(page.getByText(/Make .*root, 56 GiB ext4/)).toBeVisible();
  await expect(page.getByText(/Make .*swap, 8 GiB swap/)).toBeVisible();
  await runAndProve(page);
});
