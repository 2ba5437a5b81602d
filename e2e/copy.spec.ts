import { expect } from '@playwright/test';
import { divide, openBench } from './bench';
import { test } from './test';

test('a card is copied to a bigger disk and widened in four interactions, and proven', async ({ page }) => {
  await openBench(page);
  await divide(page, 'Spare SSD');
  await page.keyboard.press('c');
  await page.getByText('A whole disk').click();
  await page.getByRole('radio', { name: /Orchid camera card/ }).click();
  await page.getByRole('button', { name: 'Copy all of Orchid camera card here' }).click();
  await expect(page.getByRole('group', { name: 'Orchid camera card, only read' })).toBeVisible();
  await expect(page.getByRole('complementary', { name: 'On the bench' })).toContainText('is read for Spare SSD');
  await expect(page.getByText(/^Grow .* to 931/)).toBeVisible();
  await page.getByRole('button', { name: 'Review the work order' }).click();
  await expect(page.getByText('Only read', { exact: true })).toBeVisible();
  await page.getByRole('button', { name: 'Run the work order' }).click();
  await expect(page.getByText('Proven: every file is as it was')).toBeVisible();
});

test('a disk is dragged from the shelf onto the planned column, and what is copied of it is asked', async ({
  page,
}) => {
  await openBench(page);
  await divide(page, 'Spare SSD');
  const shelf = page.getByRole('complementary', { name: 'On the bench' });
  const disk = shelf.getByRole('button', { name: /Glasshouse card/ });
  await expect(disk).toHaveAttribute('draggable', 'true');
  await disk.dragTo(page.getByRole('group', { name: 'The disk now and planned' }));
  const chosen = page.getByRole('radiogroup', { name: 'From which disk' }).getByRole('radio', { checked: true });
  await expect(chosen).toContainText('Glasshouse card');
  await page.keyboard.press('Escape');
  await expect(chosen).toBeHidden();
  await expect(page.getByText('Nothing to do yet')).toBeVisible();
});

test('a volume is brought beside others, its identity chosen, and taken back by undo', async ({ page }) => {
  await openBench(page);
  await divide(page, 'Spare SSD');
  await page.getByRole('button', { name: 'Copy…' }).click();
  await page.getByRole('radio', { name: /Herbarium scans/ }).click();
  await page.getByRole('button', { name: 'Copy Sheets here' }).click();
  // The cursor stands in the size of the copy.
  await expect(page.getByLabel('Size', { exact: true })).toBeFocused();
  await page.keyboard.type('300 GiB');
  await page.keyboard.press('Enter');
  await expect(page.getByText(/Copy Sheets of Herbarium scans to .*made 300 GiB long on the way/)).toBeVisible();
  await expect(page.getByText(/Give .* an identity of its own/)).toBeVisible();
  await page.getByRole('button', { name: /undo/i }).click();
  await page.getByRole('button', { name: /undo/i }).click();
  await expect(page.getByText('Nothing to do yet.', { exact: false })).toBeVisible();
});
