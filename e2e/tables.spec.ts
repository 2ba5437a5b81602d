import { expect } from '@playwright/test';
import { openBench } from './bench';
import { test } from './test';

test('a blank disk is given a table and two volumes', async ({ page }) => {
  await openBench(page);
  const spare = page.getByRole('button', { name: 'Open Spare SSD' });
  await expect(spare).toBeEnabled();
  await spare.click();
  await page.getByRole('button', { name: 'Divide', exact: true }).click();
  await page.getByRole('button', { name: 'Table…' }).click();
  await page.getByText('New empty table').click();
  await expect(page.getByText('nothing is lost')).toBeVisible();
  await page.getByRole('button', { name: 'Plan the new table' }).click();
  await page.getByRole('button', { name: 'New', exact: true }).click();
  await page.getByRole('button', { name: 'Split' }).click();
  await expect(page.getByText('Write a new GUID table')).toBeVisible();
  await page.getByRole('button', { name: 'Review the work order' }).click();
  await page.getByRole('button', { name: 'Run the work order' }).click();
  await expect(page.getByRole('heading', { name: 'Done. Nothing was kept' })).toBeVisible();
  await page.getByRole('button', { name: 'Look', exact: true }).click();
  await expect(page.getByText('GPT', { exact: true })).toBeVisible();
});

test('a disk is described by hand, converted with every volume kept, and told what to set again', async ({ page }) => {
  await openBench(page);
  await page.getByRole('button', { name: 'Describe a disk…' }).click();
  await page.getByRole('button', { name: 'Put it on the bench' }).click();
  await expect(page.getByText('Whose disk is it?')).toBeVisible();
  await page.getByLabel('Name').fill('Café till');
  await page.getByLabel('In use of volume 2').fill('20 GiB');
  await page.getByRole('button', { name: 'Put it on the bench' }).click();
  await expect(page.getByRole('heading', { name: 'Café till' })).toBeVisible();
  await page.getByRole('button', { name: 'Divide this disk' }).click();
  await page.getByRole('button', { name: 'Table…' }).click();
  await page.getByText('Convert to a master boot record').click();
  await expect(page.getByText('Convert the GUID table to a master boot record')).toBeVisible();
  await page.getByRole('button', { name: 'Review the work order' }).click();
  await expect(page.getByText(/Set the letter C for System/)).toBeVisible();
  await page.getByRole('button', { name: 'Run the work order' }).click();
  await expect(page.getByText('Proven: every file is as it was')).toBeVisible();
  await expect(page.getByText(/A rehearsal: the real SSD would take/)).toBeVisible();
  await page.reload();
  await expect(page.getByRole('heading', { name: /Proven/ })).toBeVisible();
});

test('a whole disk goes only after its name was typed; a copy of its table is compared', async ({ page }) => {
  await openBench(page);
  await page.getByRole('button', { name: 'Open Label printer stick' }).click();
  await page.getByRole('button', { name: 'Divide', exact: true }).click();
  await page.getByRole('button', { name: 'Table…' }).click();
  const saving = page.waitForEvent('download');
  await page.getByText('Save a copy of the table').click();
  const copy = await (await saving).path();
  await page.getByRole('button', { name: 'Table…' }).click();
  await page.getByText('New empty table').click();
  await expect(page.getByText(/2.075 files/)).toBeVisible();
  await expect(page.getByRole('button', { name: 'Plan the new table' })).toBeDisabled();
  await page.getByLabel(/Type the name of the disk/).fill('Label printer stick');
  await expect(page.getByRole('button', { name: 'Plan the new table' })).toBeEnabled();
  await page.getByRole('button', { name: 'Cancel' }).click();
  await page.getByRole('button', { name: 'Table…' }).click();
  await page.getByText('Put a saved table back').click();
  await page.getByLabel('The file that the table was saved to').setInputFiles(copy);
  await expect(page.getByText('The copy and the disk say the same')).toBeVisible();
  await expect(page.getByRole('button', { name: 'Write the table now' })).toBeDisabled();
});
