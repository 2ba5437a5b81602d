/** The pictures in docs/screenshots, taken from the demo bench of a server that runs at the given address. */
import { chromium, type BrowserContext, type Page } from '@playwright/test';
import { readFile } from 'node:fs/promises';
import { CHROMIUM } from './chromium';

const address = process.argv[2] ?? 'http://localhost:3000';
const folder = 'docs/screenshots';

const browser = await chromium.launch(CHROMIUM);

/** One at a time: each makes its practice disks ready while nobody waits. */
let last: BrowserContext | undefined;

async function open(colorScheme: 'light' | 'dark'): Promise<Page> {
  await last?.close();
  const context = await browser.newContext({
    viewport: { width: 1280, height: 800 },
    colorScheme,
    reducedMotion: 'reduce',
  });
  await context.addInitScript(() => localStorage.setItem('ullager-walked', 'before'));
  last = context;
  const page = await context.newPage();
  await page.goto(address);
  const stick = page.getByRole('button', { name: 'Open Label printer stick' });
  await stick.waitFor();
  await page.waitForFunction(() => document.querySelectorAll('button[aria-label^="Open "]:disabled').length === 0);
  return page;
}

async function shoot(page: Page, name: string): Promise<void> {
  await page.mouse.move(640, 799);
  await page.waitForTimeout(1500);
  await page.screenshot({ path: `${folder}/${name}.png` });
}

async function split(page: Page): Promise<void> {
  await page.getByRole('button', { name: 'Open Label printer stick' }).click();
  await page.getByRole('button', { name: 'Divide', exact: true }).click();
  await page.getByRole('button', { name: 'Split', exact: true }).click();
  await page.getByLabel('Label', { exact: true }).fill('SCANS');
  await page.getByLabel('Label', { exact: true }).press('Enter');
  const columns = page.getByRole('group', { name: 'The disk now and planned' });
  await columns.getByRole('button', { name: /E LABELS/ }).click();
  await page.getByLabel('Size', { exact: true }).fill('6 GiB');
  await page.getByLabel('Size', { exact: true }).press('Enter');
}

const page = await open('light');
await shoot(page, 'bench');
await page.getByRole('button', { name: 'Describe a disk…' }).click();
await page.getByLabel('Name').fill('Café till');
await shoot(page, 'describe');
await page.getByRole('button', { name: 'Cancel' }).click();
await page.getByRole('button', { name: 'Open Herbarium scans' }).click();
await page.getByText('Scan', { exact: true }).click();
await page.getByRole('button', { name: 'Scan the disk' }).click();
await page.getByRole('heading', { name: 'Scanned' }).waitFor();
await shoot(page, 'scan');
await page.getByText('Speed', { exact: true }).click();
await page.getByRole('button', { name: 'Measure how fast it is' }).click();
await page.getByRole('button', { name: 'Measure again' }).waitFor();
await page.getByRole('button', { name: 'Ullager, to the bench' }).click();
await page.getByRole('button', { name: 'Open Orchid camera card' }).click();
await page.getByRole('button', { name: 'Measure how fast it is' }).click();
await page.getByRole('button', { name: 'Measure again' }).waitFor();
await page.getByLabel('Beside another disk').click();
await page.getByTitle('Herbarium scans').click();
await page.keyboard.press('Escape');
await shoot(page, 'speed');
await page.getByText('Volumes', { exact: true }).click();
await page.getByRole('button', { name: 'Ullager, to the bench' }).click();
await page.getByRole('button', { name: 'Open Label printer stick' }).click();
await page.getByText('READ ME FIRST.txt').waitFor();
await shoot(page, 'look');
await page.getByRole('button', { name: 'Ullager, to the bench' }).click();
await split(page);
await shoot(page, 'divide');
await page.getByRole('button', { name: 'What holds the floor' }).click();
await page.getByText('All of it is carried in').waitFor();
await shoot(page, 'floor');
await page.keyboard.press('Escape');
await page.getByRole('button', { name: 'Review the work order' }).click();
await shoot(page, 'review');
await page.getByRole('button', { name: 'Run the work order' }).click();
await page.getByText('Proven').waitFor({ timeout: 60_000 });
await shoot(page, 'prove');
await page.getByRole('button', { name: 'Run', exact: true }).click();
await shoot(page, 'run');

const ssd = await open('light');
await ssd.getByRole('button', { name: 'Open Front desk SSD' }).click();
await ssd.getByRole('button', { name: 'Divide', exact: true }).click();
await ssd.getByRole('button', { name: 'Split', exact: true }).click();
await ssd.getByLabel('Label', { exact: true }).fill('Herbarium');
await ssd.getByLabel('Label', { exact: true }).press('Enter');
await ssd
  .getByRole('group', { name: 'The disk now and planned' })
  .getByRole('button', { name: /C System/ })
  .click();
await ssd.getByLabel('Size', { exact: true }).fill('200 GiB');
await ssd.getByLabel('Size', { exact: true }).press('Enter');
await ssd.getByRole('button', { name: 'Review the work order' }).click();
await ssd.getByLabel('Notes for the customer').fill('Screws of the lid are in the bag.');
await ssd.getByRole('button', { name: 'Papers…' }).click();
const saving = ssd.waitForEvent('download');
await ssd.getByRole('menuitem', { name: 'Save the job sheet as HTML' }).click();
const sheet = await ssd.context().newPage();
await sheet.setViewportSize({ width: 800, height: 1130 });
await sheet.setContent(await readFile(await (await saving).path(), 'utf8'));
await sheet.screenshot({ path: `${folder}/sheet.png` });
await sheet.close();
await ssd.getByRole('button', { name: 'Divide', exact: true }).click();

await ssd.getByRole('button', { name: 'Advice' }).click();
await ssd.getByRole('img', { name: /Slack/ }).waitFor();
await shoot(ssd, 'advice');
await ssd.keyboard.press('Escape');
await ssd.getByRole('button', { name: 'Goals' }).click();
await ssd.getByRole('radio', { name: /second system/ }).click();
await shoot(ssd, 'goals');
await ssd.getByRole('button', { name: 'Fill the plan' }).click();
await ssd
  .getByRole('group', { name: 'The disk now and planned' })
  .getByRole('button', { name: /C System/ })
  .click();
await ssd.getByRole('button', { name: 'Make bigger…' }).click();
await shoot(ssd, 'ways');

const lost = await open('light');
await lost.getByRole('button', { name: 'Open Glasshouse card' }).click();
await lost.getByRole('button', { name: 'Divide', exact: true }).click();
await lost.getByRole('button', { name: 'Table…' }).click();
await lost.getByRole('menuitem', { name: /New empty table/ }).click();
await lost.getByLabel(/Type the name of the disk/).fill('Glasshouse card');
await lost.getByRole('button', { name: 'Plan the new table' }).click();
await lost.getByRole('button', { name: 'Review the work order' }).click();
await lost.getByLabel(/Nothing of this disk stays/).fill('Glasshouse card');
await lost.getByRole('button', { name: 'Run the work order' }).click();
await lost.getByText('Done. Nothing was kept').waitFor({ timeout: 60_000 });
await lost.getByRole('button', { name: 'Look', exact: true }).click();
await lost.getByText('Lost volumes', { exact: true }).click();
await lost.getByRole('button', { name: 'Search what no volume names' }).click();
await lost.getByRole('button', { name: 'Look into' }).nth(1).click({ timeout: 60_000 });
await shoot(lost, 'lost');

const wipe = await open('light');
await wipe.getByRole('button', { name: 'Open Label printer stick' }).click();
await wipe.getByRole('button', { name: 'Divide', exact: true }).click();
await wipe.getByRole('button', { name: 'Wipe…' }).click();
await wipe.getByText(/^The free space inside E LABELS/).click();
await shoot(wipe, 'wipe');

const folders = await open('light');
await folders.getByRole('button', { name: 'Open Front desk SSD' }).click();
await folders.getByRole('button', { name: 'Divide', exact: true }).click();
await folders.getByRole('button', { name: 'Move folders…' }).click();
await folders.getByRole('checkbox', { name: 'Pick People' }).check();
await folders.getByRole('checkbox', { name: 'Leave a link' }).check();
await folders.getByRole('button', { name: 'Move them' }).click();
await folders.getByRole('img', { name: /goes to another volume/ }).waitFor();
await shoot(folders, 'between');

const copy = await open('light');
await copy.getByRole('button', { name: 'Open Spare SSD' }).click();
await copy.getByRole('button', { name: 'Divide', exact: true }).click();
await copy.getByRole('button', { name: 'Copy…' }).click();
await copy.getByText('A whole disk').click();
await copy.getByRole('radio', { name: /Herbarium scans/ }).click();
await copy.getByRole('button', { name: /^Copy all of/ }).click();
await copy.getByRole('group', { name: /only read/ }).waitFor();
await shoot(copy, 'copy');

const dark = await open('dark');
await split(dark);
await shoot(dark, 'divide-dark');
await browser.close();
