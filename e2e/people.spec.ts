import { expect, type Page } from '@playwright/test';
import { axe, divide, divideStick, openBench, select, STICK } from './bench';
import { test } from './test';

const more = async (page: Page, name: string, item: string): Promise<void> => {
  await page.getByRole('button', { name: `More of ${name}` }).click();
  await page.getByRole('menuitem', { name: item }).click();
};

test('an empty bench says what this is, and a practice stick is one press away', async ({ page }) => {
  await page.route('**/api/demo', (route) => route.fulfill({ json: [] }));
  await page.goto('/');
  await expect(
    page.getByRole('img', { name: /one volume, and the same disk with a system and a data volume/ }),
  ).toBeVisible();
  await axe(page);
  await page.getByRole('button', { name: 'Try it on a practice stick' }).click();
  await expect(page.getByRole('heading', { name: 'Practice stick', level: 1 })).toBeVisible();
  await page.getByRole('button', { name: 'Divide this disk' }).click();
  const walk = page.getByText('What there is, and what it shall become');
  await expect(walk).toBeVisible();
  for (let i = 0; i < 3; i++) await page.getByRole('button', { name: 'Next' }).click();
  await page.getByRole('button', { name: 'Finish' }).click();
  await page.reload();
  await expect(page.getByText('Nothing to do yet')).toBeVisible();
  await expect(walk).toBeHidden();
});

test('disks are found, put in order, renamed, guarded as a whole, and taken away with what that loses told', async ({
  page,
}) => {
  await openBench(page);
  await page.getByRole('searchbox', { name: 'Find a disk or a volume' }).fill('orchids');
  await expect(page.getByRole('button', { name: /^Open .*card$/ })).toHaveCount(1);
  await page.getByRole('searchbox', { name: 'Find a disk or a volume' }).fill('');
  await more(page, STICK, 'Guard against every change');
  await expect(page.getByText('guarded as a whole')).toBeVisible();
  await divideStick(page);
  await page.getByRole('button', { name: 'Split', exact: true }).click();
  await expect(page.getByRole('alert').filter({ hasText: 'is guarded as a whole' })).toBeVisible();
  await expect(page.getByText('Nothing to do yet')).toBeVisible();
  await page.getByRole('button', { name: 'Ullager, to the bench' }).click();
  await more(page, STICK, 'Lift the guard');
  await more(page, STICK, 'Rename…');
  await page.getByRole('textbox', { name: 'Name of the disk' }).fill('Stick of the shop');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('button', { name: 'Open Stick of the shop' })).toBeVisible();
  await page.reload();
  await expect(page.getByRole('button', { name: 'Open Stick of the shop' })).toBeEnabled();
  await more(page, 'Stick of the shop', 'Take off the bench…');
  await expect(page.getByRole('dialog')).toContainText('a demo disk is back as it was when the page is loaded again');
  await page.getByRole('button', { name: 'Take it off the bench' }).click();
  await expect(page.getByRole('button', { name: 'Open Stick of the shop' })).toBeHidden();
});

test('the list of volumes leads to its volumes; files are found by name, looked into, and added up', async ({
  page,
}) => {
  await openBench(page);
  await page.getByText('Volumes', { exact: true }).click();
  await axe(page);
  await page.getByRole('button', { name: 'LABELS' }).click();
  await expect(page.getByRole('heading', { name: STICK, level: 1 })).toBeVisible();
  await page.getByRole('textbox', { name: 'Find by name' }).fill('read me');
  await expect(page.getByRole('status').filter({ hasText: '1 found' })).toBeVisible();
  await page.getByRole('button', { name: 'Look into READ ME FIRST.txt' }).click();
  await expect(page.getByRole('dialog')).toContainText('Text');
  await page.getByText('Bytes', { exact: true }).click();
  await expect(page.getByText(/^00000000 {2}/)).toBeVisible();
  await page.keyboard.press('Escape');
  await page.getByRole('textbox', { name: 'Find by name' }).fill('');
  await page.getByText('Where the room goes').click();
  await expect(page.getByRole('img', { name: /Where the room goes\. / })).toBeVisible();
  await expect(page.getByText('Biggest files')).toBeVisible();
  await axe(page);
});

test('several volumes in hand are guarded and shared out; the palette takes labels and finds by other words', async ({
  page,
}) => {
  await openBench(page);
  await divide(page, 'Herbarium scans');
  const column = page.getByRole('group', { name: 'The disk now and planned' });
  await select(page, /D Sheets/);
  await column.getByRole('button', { name: /F EXCHANGE/ }).click({ modifiers: ['Control'] });
  await expect(page.getByRole('heading', { name: '2 volumes in hand' })).toBeVisible();
  await axe(page);
  await page.getByRole('button', { name: 'Guard', exact: true }).click();
  await page.getByRole('button', { name: 'Equal shares' }).click();
  await expect(page.getByRole('alert').filter({ hasText: 'is guarded' })).toBeVisible();
  await page.getByRole('button', { name: 'Undo' }).click();
  await select(page, /D Sheets/);
  await page.keyboard.press('Control+k');
  await page.keyboard.type('extend');
  await expect(page.getByRole('option')).toHaveText([/^Make .*Sheets bigger…/]);
  await page.getByRole('combobox', { name: 'Commands' }).fill('label Pressed plants');
  await page.keyboard.press('Enter');
  await expect(page.getByText(/Label .*Pressed plants/).first()).toBeVisible();
});

test('a run tells its state where the page is not seen, and ends in what to do now', async ({ page }) => {
  await openBench(page);
  await divideStick(page);
  await page.getByRole('button', { name: 'Split', exact: true }).click();
  await page.getByRole('button', { name: 'Review the work order' }).click();
  await page.getByRole('checkbox', { name: /Take as long/ }).check();
  await page.getByRole('button', { name: 'Run the work order' }).click();
  await expect(page.getByRole('img', { name: /check of E LABELS: just now/ })).toBeVisible();
  await expect(page).toHaveTitle(/^\d+ % · Label printer stick/);
  await page.getByRole('button', { name: 'Pause' }).click();
  await expect(page).toHaveTitle(/^Paused · /);
  await page.getByRole('button', { name: 'Rewind instead' }).click();
  await page.getByRole('button', { name: 'OK', exact: true }).click();
  await expect(page.getByText('Nothing to do yet')).toBeVisible();
  await page.getByRole('button', { name: 'Split', exact: true }).click();
  await page.getByRole('button', { name: 'Review the work order' }).click();
  await page.getByRole('button', { name: 'Run the work order' }).click();
  const now = page.getByRole('region', { name: 'What to do now' });
  await expect(now).toContainText('Set the letter');
  await expect(page).toHaveTitle(/^Proven · /);
  await expect(page.getByRole('img', { name: /proof of E LABELS: done/ })).toBeVisible();
  await now.getByRole('button', { name: 'Next disk' }).click();
  await expect(page.getByRole('heading', { name: 'Bench', level: 1 })).toBeVisible();
});

test('with few colours forced, nothing serious is found, and nothing is wider than a window zoomed to twice', async ({
  page,
}) => {
  await page.emulateMedia({ forcedColors: 'active', reducedMotion: 'reduce' });
  await openBench(page);
  await axe(page);
  await divideStick(page);
  await page.getByRole('button', { name: 'Split', exact: true }).click();
  await axe(page);
  await page.setViewportSize({ width: 640, height: 400 });
  const wider = await page.evaluate(() => document.documentElement.scrollWidth - window.innerWidth);
  expect(wider).toBeLessThanOrEqual(0);
  await page.getByRole('button', { name: 'Review the work order' }).scrollIntoViewIfNeeded();
  await page.getByRole('button', { name: 'Review the work order' }).click();
  await expect(page.getByText('Nothing is lost.')).toBeVisible();
});
