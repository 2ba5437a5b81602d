import { expect } from '@playwright/test';
import { divide, makeImage, openBench, openImage, runIt, select } from './bench';
import { test } from './test';

test('folders get a volume of their own in eight interactions, a link stays, and all of it is proven', async ({
  page,
}) => {
  await openBench(page);
  await divide(page, 'Front desk SSD'); // two
  await page.getByRole('button', { name: 'Move folders…' }).click();
  await page.getByRole('checkbox', { name: 'Pick People' }).check();
  await page.getByRole('checkbox', { name: 'Leave a link' }).check();
  await page.getByRole('button', { name: 'Move them' }).click();
  await expect(page.getByRole('img', { name: /^People, .*goes to another volume/ })).toBeVisible();
  await expect(page.getByText(/Take People away from C System, a link to D stays/)).toBeVisible();
  await runIt(page);
  await expect(page.getByRole('button', { name: /D People .*identical/ })).toBeVisible();
});

test('a volume is merged into a folder of the one before it, and taken out of the plan again', async ({ page }) => {
  await openBench(page);
  await divide(page, 'Herbarium scans');
  await select(page, /EXCHANGE/);
  await page.getByRole('button', { name: 'Merge…' }).click();
  await page.getByLabel('Folder').fill('From the exchange volume');
  await page.getByRole('button', { name: 'Merge', exact: true }).click();
  await expect(
    page.getByText(/Copy everything from .*EXCHANGE to D Sheets, as From the exchange volume/),
  ).toBeVisible();
  await expect(page.getByText(/^Remove .*EXCHANGE/)).toBeVisible();
  await runIt(page);
});

test('a file that is more than can be given goes to its own volume by way of another disk', async ({ page }) => {
  await openBench(page);
  await openImage(page, makeImage('360 MiB', { count: 1, smallest: '190 MiB', largest: '190 MiB', fragments: 2 }));
  await page.getByRole('button', { name: 'Divide', exact: true }).click();
  await page.getByRole('button', { name: 'Move folders…' }).click();
  await page.getByRole('checkbox', { name: 'Pick a', exact: true }).check();
  await page.getByRole('button', { name: 'Move them' }).click();
  await expect(page.getByText(/unallocated in one piece on another disk would do/)).toBeVisible();
  await page.getByRole('button', { name: /Set aside on Spare SSD/ }).click();
  await expect(page.getByText(/Bring .* from Spare SSD/)).toBeVisible();
  await expect(page.getByText('FAT16, 190 MiB in use')).toBeVisible();
  await runIt(page);
  await expect(page.getByText(/lends room/)).toBeHidden();
});
