import { expect, type Page } from '@playwright/test';
import { axe, divideStick, openBench, select, STICK, storedIn } from './bench';
import { test } from './test';

/** Everything that opens beside the plan. */
async function helpers(page: Page): Promise<void> {
  for (const name of ['Goals', 'Several parts at once', 'Copy…', 'Advice', 'Commands']) {
    await page.getByRole('button', { name, exact: true }).click();
    await expect(page.getByRole('dialog')).toBeVisible();
    if (name === 'Advice') await expect(page.getByRole('img', { name: /Slack/ })).toBeVisible();
    await axe(page);
    await page.keyboard.press('Escape');
    await expect(page.getByRole('dialog')).toHaveCount(0);
  }
  await select(page, /E LABELS/);
  for (const name of ['Move folders…', 'Merge…']) {
    await page.getByRole('button', { name }).click();
    await expect(page.getByRole('dialog')).toBeVisible();
    if (name === 'Move folders…') await expect(page.getByRole('checkbox', { name: /^Pick / }).first()).toBeVisible();
    await axe(page);
    await page.keyboard.press('Escape');
    await expect(page.getByRole('dialog')).toHaveCount(0);
  }
  await page.getByRole('button', { name: 'What holds the floor' }).click();
  await expect(page.getByText(/^Floor 2.3 GiB/)).toBeInViewport();
  await page.getByRole('button', { name: 'What holds the floor' }).click();
  await page.getByRole('button', { name: 'Make bigger…' }).click();
  await axe(page);
  await page.getByRole('button', { name: 'Back to the plan' }).click();
}

for (const scheme of ['light', 'dark'] as const) {
  test(`axe finds nothing serious in ${scheme}`, async ({ page }) => {
    await page.emulateMedia({ colorScheme: scheme, reducedMotion: 'reduce' });
    await openBench(page);
    await axe(page);
    await page.getByRole('button', { name: `Open ${STICK}` }).click();
    await expect(page.getByText('READ ME FIRST.txt')).toBeVisible();
    await axe(page);
    await page.getByRole('button', { name: 'Divide', exact: true }).click();
    await page.getByRole('button', { name: 'Split' }).click();
    await page.mouse.move(5, 5);
    await axe(page);
    await helpers(page);
    await page.getByRole('button', { name: 'Review the work order' }).click();
    await expect(page.getByText('Nothing is lost.')).toBeVisible();
    await axe(page);
    await page.getByRole('button', { name: 'Run the work order' }).click();
    await expect(page.getByText('Proven: every file is as it was')).toBeVisible();
    await axe(page);
  });
}

test('the page keeps working with the server away, and sends nothing anywhere else', async ({ page, context }) => {
  const foreign: string[] = [];
  page.on('request', (request) => {
    if (!/^(http:\/\/localhost:|blob:|data:)/.test(request.url())) foreign.push(request.url());
  });
  const problems: string[] = [];
  page.on('console', (message) => {
    if (message.type() === 'error' && /Content Security Policy/i.test(message.text())) problems.push(message.text());
  });
  await openBench(page, true);
  const worker = () => page.evaluate(async () => (await navigator.serviceWorker.ready).active?.state);
  await expect.poll(worker).toBe('activated');
  await page.reload();
  await expect(page.getByRole('button', { name: `Open ${STICK}` })).toBeEnabled();
  await context.setOffline(true);
  await page.reload();
  await expect(page.getByRole('button', { name: `Open ${STICK}` })).toBeEnabled();
  await divideStick(page);
  await page.getByRole('button', { name: 'Split' }).click();
  await expect(page.getByText(/Make D, /)).toBeVisible();
  expect(foreign).toEqual([]);
  expect(problems).toEqual([]);
});

test('what was planned, the stage and the units survive a reload', async ({ page }) => {
  await openBench(page);
  await divideStick(page);
  await page.getByRole('button', { name: 'Split' }).click();
  await page.getByText('GB', { exact: true }).click();
  await expect(page.getByText(/Make D, .* GB FAT32/)).toBeVisible();
  await expect.poll(async () => JSON.stringify(await storedIn(page, 'settings'))).toContain('decimal');
  await expect.poll(async () => (await storedIn(page, 'jobs')).length).toBe(1);
  await page.reload();
  await expect(page.getByText(/Make D, .* GB FAT32/)).toBeVisible();
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(page.getByText('Nothing to do yet')).toBeVisible();
});
