/** Runs that are taken back one by one, and files that are moved from one disk of the bench to another. */
import { expect, type Page } from '@playwright/test';
import { axe, divide, openBench, runIt, STICK, typeSize } from './bench';
import { test } from './test';

const runsOf = async (page: Page, name: string): Promise<void> => {
  await page.getByRole('button', { name: `More of ${name}` }).click();
  await page.getByRole('menuitem', { name: 'Runs that can be taken back…' }).click();
};

test('two runs on a stick are taken back one by one, and one is dropped', async ({ page }) => {
  await openBench(page);
  await divide(page, STICK);
  await typeSize(page, '4 GiB');
  await runIt(page);
  await page.getByRole('button', { name: 'Divide', exact: true }).click();
  await typeSize(page, '3 GiB');
  await runIt(page);
  await page.getByRole('button', { name: 'All runs…' }).click();
  const list = page.getByRole('list', { name: 'Runs, the newest first' });
  await expect(list.getByRole('listitem')).toHaveCount(2);
  await axe(page);
  await list.getByRole('button', { name: 'Take it back' }).click();
  await page.getByRole('button', { name: 'OK', exact: true }).click();
  // As the first run left it, and not as it was before that.
  await expect(page.getByLabel('Size', { exact: true })).toHaveValue(/^4(\.0+)? GiB$/);
  await page.reload();
  await expect(page.getByLabel('Size', { exact: true })).toHaveValue(/^4(\.0+)? GiB$/);
  await page.getByRole('button', { name: 'Ullager, to the bench' }).click();
  await runsOf(page, STICK);
  await expect(list.getByRole('listitem')).toHaveCount(1);
  await list.getByRole('button', { name: 'Drop' }).click();
  await page.getByRole('tooltip').getByRole('button', { name: 'Drop' }).click();
  await expect(page.getByText(/nothing was run on it here, or what that needs was dropped/)).toBeVisible();
});

test('a folder is moved from a stick to another disk, both are proven, and both are put back', async ({ page }) => {
  await openBench(page);
  await divide(page, 'Front desk SSD');
  await page.getByRole('button', { name: 'Take folders…' }).click();
  await page.getByLabel('From which volume').click();
  await page.getByText(`LABELS of ${STICK}`).last().click();
  const first = page.getByRole('checkbox', { name: /^Pick / }).first();
  const name = (await first.getAttribute('aria-label'))!.slice('Pick '.length);
  await first.check();
  await page.getByText('Move', { exact: true }).click();
  await axe(page);
  await page.getByRole('button', { name: 'Move them' }).click();
  await expect(page.getByText(new RegExp(`^Take ${name} away from .*LABELS of ${STICK}`))).toBeVisible();
  await expect(page.getByRole('group', { name: `${STICK}, written too` })).toBeVisible();
  await expect(page.getByRole('img', { name: new RegExp(`^${name}, .*goes to another volume`) })).toBeVisible();
  await expect(page.getByRole('complementary', { name: 'On the bench' })).toContainText(
    'is written for Front desk SSD',
  );
  await runIt(page);
  await expect(page.getByRole('button', { name: new RegExp(`LABELS of ${STICK} .*identical`) })).toBeVisible();
  await page.getByRole('button', { name: 'All runs…' }).click();
  await expect(page.getByText(new RegExp(`${STICK} with it`))).toBeVisible();
  await page.getByRole('button', { name: 'Close' }).click();
  await page.getByRole('button', { name: 'Rewind' }).click();
  await page.getByRole('button', { name: 'OK', exact: true }).click();
  await expect(page.getByText('Nothing to do yet')).toBeVisible();
  await page.getByRole('button', { name: 'Ullager, to the bench' }).click();
  await runsOf(page, STICK);
  await expect(page.getByText(/nothing was run on it here/)).toBeVisible();
});
