import { expect, type Page } from '@playwright/test';
import { divide, divideStick, openBench, runIt, select } from './bench';
import { test } from './test';

async function runAndProve(page: Page): Promise<void> {
  await runIt(page);
}

test('system, second system and data on the front desk SSD in five clicks and no typing', async ({ page }) => {
  await openBench(page);
  await divide(page, 'Front desk SSD'); // two clicks
  await page.getByRole('button', { name: 'Goals' }).click();
  await page.getByRole('radio', { name: /second system/ }).click();
  await page.getByRole('button', { name: 'Fill the plan' }).click();
  await expect(page.getByText(/Make D System 2, 64 GiB NTFS/)).toBeVisible();
  await expect(page.getByText(/Make E Data, .* exFAT/)).toBeVisible();
  await page.getByRole('button', { name: 'Advice' }).click();
  await expect(page.getByRole('dialog')).toContainText('headroom');
  await expect(page.getByRole('img', { name: /Slack by cluster size/ })).toBeVisible();
});

test('a volume gets room from one before it, which carries it to another place', async ({ page }) => {
  await openBench(page);
  await divide(page, 'Herbarium scans');
  await select(page, /D Sheets/);
  await page.getByRole('button', { name: 'Make bigger…' }).click();
  const way = page.getByRole('listitem').filter({ hasText: 'From C Scanner PC' });
  await expect(way).toContainText('D Sheets begins 70 GiB earlier');
  await way.getByRole('button', { name: 'Take this way' }).click();
  await expect(page.getByText('Move D Sheets 70 GiB towards the start')).toBeVisible();
  await runAndProve(page);
});

test('the stick becomes four volumes for different uses, nothing formatted that holds files', async ({ page }) => {
  await openBench(page);
  await divideStick(page);
  await page.getByRole('button', { name: 'Goals' }).click();
  await page.getByRole('radio', { name: /per purpose/ }).click();
  await page.getByRole('button', { name: 'Fill the plan' }).click();
  await expect(page.getByText(/Make .*EXCHANGE|Make .*Exchange/)).toBeVisible();
  await expect(page.getByText('Prove E LABELS: compare every file')).toBeVisible();
  await runAndProve(page);
  await expect(page.getByText('2 075').first()).toBeVisible();
});

test('a volume is split in several at once, put in another order by keyboard, and resized by a command', async ({
  page,
}) => {
  await openBench(page);
  await divideStick(page);
  await page.getByRole('button', { name: 'Several parts at once' }).click();
  await page.getByLabel('Label of part 2').fill('ONE');
  await page.getByLabel('Label of part 3').fill('TWO');
  await page.getByRole('button', { name: 'Split in 3' }).click();
  await expect(page.getByText(/Make .* ONE,/)).toBeVisible();
  const column = page.getByRole('group', { name: 'The disk now and planned' });
  await column.getByRole('button', { name: /E LABELS/ }).focus();
  await page.keyboard.press('Enter');
  await page.keyboard.press('Alt+ArrowDown');
  await expect(page.getByText(/Move E LABELS .* towards the end/)).toBeVisible();
  await page.keyboard.press('Control+k');
  await page.keyboard.type('to 3 GiB');
  await expect(page.getByRole('option').first()).toContainText('3 GiB');
  await page.keyboard.press('Enter');
  await expect(page.getByText('Shrink E LABELS to 3 GiB')).toBeVisible();
  await page.getByRole('button', { name: 'Undo' }).click();
  await page.getByRole('button', { name: 'Undo' }).click();
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(page.getByText('Nothing to do yet')).toBeVisible();
});

test('two volumes that fill a disk change places by way of another disk', async ({ page }) => {
  await openBench(page);
  await divide(page, 'Herbarium scans');
  const order = page.getByRole('region', { name: 'Work order' });
  await page
    .getByRole('group', { name: 'The disk now and planned' })
    .getByRole('button', { name: /C Scanner/ })
    .focus();
  await page.keyboard.press('Enter');
  await page.keyboard.press('Alt+ArrowDown');
  await expect(order).toContainText('for a time');
  await order.getByRole('button', { name: /Set aside on Spare SSD/ }).click();
  await expect(order).toContainText('Bring C Scanner PC back from Spare SSD');
  await page.getByRole('button', { name: 'Review the work order' }).click();
  await expect(page.getByText(/it is whole only there: keep both disks at hand/)).toBeVisible();
  await page.getByRole('button', { name: 'Run the work order' }).click();
  await expect(page.getByRole('button', { name: /Spare SSD.*lends room to Herbarium scans/ })).toBeVisible();
  await expect(page.getByText('Proven: every file is as it was')).toBeVisible();
  await expect(page.getByText(/lends room/)).toBeHidden();
});

test('a split in five begins with what the volume can be, where a third would be too little', async ({ page }) => {
  await openBench(page);
  await divide(page, 'Orchid camera card');
  await page.getByRole('button', { name: 'Several parts at once' }).click();
  for (let i = 0; i < 2; i++) await page.getByRole('button', { name: 'One more' }).click();
  await page.getByRole('button', { name: 'Split in 5' }).click();
  await expect(page.getByText(/Shrink G ORCHIDS to 76\.\d GiB/)).toBeVisible();
  await expect(page.getByText('Write the partition table')).toBeVisible();
});
