import { expect, type Download, type Page } from '@playwright/test';
import { unzipSync } from 'fflate';
import { spawnSync } from 'node:child_process';
import { readFileSync, writeFileSync } from 'node:fs';
import {
  divideStick,
  makeImage,
  MUCH,
  openBench,
  openImage,
  pick,
  runIt,
  select,
  STICK,
  storedIn,
  typeSize,
} from './bench';
import { test } from './test';

test('the demo stick is divided by typing, run, proven and rewound', async ({ page }) => {
  await openBench(page);
  await divideStick(page);
  await page.getByRole('button', { name: 'Split' }).click();
  await select(page, /E LABELS/);
  await typeSize(page, '6 GiB');
  await expect(page.getByText('Shrink E LABELS to 6 GiB')).toBeVisible();
  await page.getByRole('button', { name: 'Review the work order' }).click();
  await expect(page.getByText('Nothing is lost.')).toBeVisible();
  const started = Date.now();
  await page.getByRole('button', { name: 'Run the work order' }).click();
  await expect(page.getByText('Proven: every file is as it was')).toBeVisible();
  console.log(`run and proof took ${Date.now() - started} ms`);
  await page.reload();
  await expect(page.getByText('Proven: every file is as it was')).toBeVisible();
  await page.getByRole('button', { name: 'Rewind' }).click();
  await page.getByRole('button', { name: 'OK', exact: true }).click();
  await expect(page.getByRole('slider', { name: 'End of E LABELS' })).toBeVisible();
  await expect(page.getByText('Nothing to do yet')).toBeVisible();
});

test('the front desk SSD, one NTFS volume, is divided and proven', async ({ page }) => {
  await openBench(page);
  const ssd = page.getByRole('button', { name: 'Open Front desk SSD' });
  await expect(ssd).toBeEnabled();
  await ssd.click();
  await page.getByRole('button', { name: 'Divide', exact: true }).click();
  await page.getByRole('button', { name: 'Split' }).click();
  await select(page, /C System/);
  await typeSize(page, '200 GiB');
  await expect(page.getByText('Shrink C System to 200 GiB')).toBeVisible();
  await runIt(page);
  const stored = await page.evaluate(async () => (await navigator.storage.estimate()).usage ?? 0);
  expect(stored).toBeLessThan(60e6);
});

test('an edge is dragged, stops at the floor and says why; undo and redo', async ({ page }) => {
  await openBench(page);
  await divideStick(page);
  const edge = page.getByRole('slider', { name: 'End of E LABELS' });
  const box = (await edge.boundingBox())!;
  const [x, y] = [box.x + box.width / 2, box.y + box.height / 2];
  await page.mouse.move(x, y);
  await page.mouse.down();
  await page.mouse.move(x, y - 250, { steps: 10 });
  await expect(page.getByText(/Shrink E LABELS/)).toBeVisible();
  await page.mouse.move(x, 180, { steps: 10 });
  await page.mouse.up();
  await expect(
    page
      .getByRole('alert')
      .filter({ hasText: 'can’t be smaller' })
      .or(page.getByText(/can't be smaller than 2.3 GiB/)),
  ).toBeVisible();
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(page.getByText('Nothing to do yet')).toBeVisible();
  await page.getByRole('button', { name: 'Redo' }).click();
  await expect(page.getByText(/Shrink E LABELS to 2.3 GiB/)).toBeVisible();
});

test('everything by keyboard alone', async ({ page }) => {
  await openBench(page);
  await page.getByRole('button', { name: `Open ${STICK}` }).focus();
  await page.keyboard.press('Enter');
  // A quick hand has entered what it wants before there is a field for it.
  await page.route('**/*.js', async (route) => {
    await new Promise((over) => setTimeout(over, 700));
    await route.continue();
  });
  await page.keyboard.press('Control+k');
  await page.keyboard.type('go to divide');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('slider', { name: 'End of E LABELS' })).toBeVisible();
  await page.keyboard.press('s');
  await expect(page.getByText(/Make D, /)).toBeVisible();
  await page.getByRole('slider', { name: 'End of E LABELS' }).focus();
  await page.keyboard.press('Shift+ArrowUp');
  await expect(page.getByRole('slider', { name: 'End of E LABELS' })).toHaveAttribute('aria-valuetext', /GiB/);
  await page.keyboard.press('Home');
  await expect(page.getByRole('slider', { name: 'End of E LABELS' })).toHaveAttribute('aria-valuetext', '2.3 GiB');
  await page.keyboard.press('?');
  await expect(page.getByRole('dialog')).toContainText('Divide a stick or a card');
  await page.getByRole('tab', { name: 'Keys' }).click();
  await expect(page.getByRole('dialog')).toContainText('Split the volume in hand');
});

async function exportInParts(page: Page, length: string): Promise<void> {
  await page.getByRole('button', { name: 'Export as…' }).click();
  await page.getByRole('menuitem', { name: 'in parts…' }).click();
  await page.getByLabel('Length of a part').fill(length);
  await page.getByLabel('Length of a part').press('Enter');
  await page.getByRole('dialog').getByRole('button', { name: 'Export' }).click();
}

test('an image file is opened, divided, exported, and reads the same elsewhere', async ({ page }) => {
  const image = makeImage();
  const original = readFileSync(image);
  await openBench(page);
  await openImage(page, image);
  await expect(page.getByRole('heading', { name: 'stick', level: 1 })).toBeVisible();
  await page.getByRole('button', { name: 'Look into note.txt' }).click();
  await expect(page.getByText('hello from the stick')).toBeVisible();
  await page.keyboard.press('Escape');
  const [saved] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('button', { name: 'Save note.txt' }).click(),
  ]);
  expect(readFileSync((await saved.path())!, 'utf8')).toBe('hello from the stick');
  const [zip] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('button', { name: 'Save all' }).click(),
  ]);
  expect(zip.suggestedFilename()).toBe('E2E.zip');
  const all = unzipSync(readFileSync(await zip.path()));
  expect(Object.keys(all).filter((name) => !name.endsWith('/')).length).toBe(31);
  expect(Buffer.from(all['note.txt']!).toString()).toBe('hello from the stick');
  await page.getByRole('button', { name: 'Divide this disk' }).click();
  await page.getByRole('button', { name: 'Split' }).click();
  await select(page, /E2E/);
  await typeSize(page, '20 MiB');
  await runIt(page);
  await page.getByRole('button', { name: /E2E .*identical/ }).click();
  await expect(page.getByText('bytes hashed')).toBeVisible();
  const [download] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('button', { name: 'Export the divided image' }).click(),
  ]);
  const out = `${image}.out`;
  await download.saveAs(out);
  expect(Buffer.compare(readFileSync(image), original)).toBe(0);
  const parts: Download[] = [];
  page.on('download', (part) => parts.push(part));
  await exportInParts(page, '30 MiB');
  await expect.poll(() => parts.length).toBe(Math.ceil(original.length / (30 * 2 ** 20)));
  expect(parts.at(-1)!.suggestedFilename()).toMatch(/ divided\.img\.00[2-9]$/);
  const bytes = await Promise.all(parts.map(async (part) => readFileSync(await part.path())));
  expect(Buffer.compare(Buffer.concat(bytes), readFileSync(out))).toBe(0);
  // Where there is a picker, into a folder; what is in it stays.
  await page.evaluate(() => Object.assign(window, { showDirectoryPicker: () => navigator.storage.getDirectory() }));
  await exportInParts(page, '30 MiB');
  await expect(page.getByText('Saved, read back, and the same.')).toBeVisible();
  await exportInParts(page, '30 MiB');
  await expect(page.getByText(/divided\.img\.001 exists already and is left as it is/)).toBeVisible();
  const run = (verb: string, file: string): string =>
    spawnSync('node', ['scripts/ullager.mjs', verb, file], { encoding: 'utf8' }).stdout;
  expect(run('files', out)).toBe(run('files', image));
  expect(run('check', out)).toBe('Nothing found.\n');
});

test('a reload in the middle of a run offers to resume, and a re-picked image is recognised', async ({ page }) => {
  const image = makeImage('400 MiB', MUCH);
  await openBench(page);
  await openImage(page, image);
  await page.getByRole('button', { name: 'Divide this disk' }).click();
  await page.getByRole('button', { name: 'Split' }).click();
  await page.getByRole('button', { name: 'Review the work order' }).click();
  await page.getByRole('button', { name: 'Run the work order' }).click();
  // What was measured is written down: the carrying begins.
  await expect.poll(async () => (await storedIn(page, 'journal')).length, { intervals: [5] }).toBeGreaterThan(1);
  await page.reload();
  // What was in hand is so again; a press before that would be undone by it.
  await expect(page.getByText('This disk is not open.')).toBeVisible();
  await page.getByRole('button', { name: 'Ullager, to the bench' }).click();
  const again = page.getByRole('button', { name: 'Open again' });
  const other = `${image}.other`;
  const changed = readFileSync(image);
  changed[600] = 1;
  writeFileSync(other, changed);
  await pick(page, again, other);
  await expect(page.getByText(/is not the file that stick was begun with/)).toBeVisible();
  await page.getByRole('button', { name: 'Pick another file' }).click();
  await pick(page, again, image);
  await page.getByRole('button', { name: 'Open stick' }).click();
  await expect(page.getByText('Paused safely')).toBeVisible();
  await page.getByRole('button', { name: 'Go on with the run' }).click();
  await expect(page.getByText('Proven: every file is as it was')).toBeVisible();
});

test('what is no image gets a plain sentence and changes nothing', async ({ page }) => {
  await openBench(page);
  await openImage(page, {
    name: 'letter.txt',
    mimeType: 'text/plain',
    buffer: Buffer.from('Dear Fernhollow, '.repeat(400)),
  });
  await expect(page.getByText(/letter.txt is not a disk image/)).toBeVisible();
  await expect(page.getByRole('button', { name: 'Open letter' })).toHaveCount(0);
});

test('a second tab only shows the bench, and takes it over where it is', async ({ page, context }) => {
  await openBench(page);
  const second = await context.newPage();
  await second.goto('/');
  await expect(second.getByText('The bench is open in another tab')).toBeVisible();
  await second.getByRole('button', { name: `Open ${STICK}` }).click();
  await expect(second.getByRole('button', { name: 'Divide this disk' })).toBeVisible();
  await page.close();
  await expect(second.getByText('The bench is open in another tab')).toHaveCount(0);
  // It was loaded anew to take the bench over, and is where it was.
  await expect(second.getByRole('button', { name: 'Divide this disk' })).toBeEnabled();
});

test('what would be lost is counted and has to be accepted; guards hold', async ({ page }) => {
  await openBench(page);
  await divideStick(page);
  await page.getByRole('button', { name: 'Guard', exact: true }).click();
  await page.getByRole('button', { name: 'Remove', exact: true }).click();
  await expect(page.getByText(/is guarded. Lift the guard first/)).toBeVisible();
  await page.getByRole('button', { name: 'Lift guard' }).click();
  await page.getByRole('button', { name: 'Remove', exact: true }).click();
  await expect(page.getByText(/lost: 2.075 files/)).toBeVisible();
  await page.getByRole('button', { name: /New volume in 14.9 GiB unallocated/ }).click();
  await expect(page.getByText(/Make D, 14.9 GiB/)).toBeVisible();
  await page.getByRole('button', { name: 'Review the work order' }).click();
  const run = page.getByRole('button', { name: 'Run the work order' });
  await expect(run).toBeDisabled();
  await page.getByLabel(/Nothing of this disk stays/).fill('Label printer');
  await expect(run).toBeDisabled();
  await page.getByLabel(/Nothing of this disk stays/).fill(STICK);
  await expect(run).toBeEnabled();
  await page.getByRole('button', { name: 'Back', exact: true }).click();
  await page.getByRole('button', { name: 'Undo' }).click();
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(page.getByText(/lost:/)).toHaveCount(0);
});

test('label, letter and file system are set in the same place', async ({ page }) => {
  await openBench(page);
  await divideStick(page);
  await page.getByRole('button', { name: 'Split' }).click();
  await page.getByLabel('Label', { exact: true }).fill('scans 1');
  await page.getByLabel('Label', { exact: true }).press('Enter');
  await expect(page.getByText('Make D SCANS 1, 5.9 GiB FAT32')).toBeVisible();
  await expect(page.getByText('The label is stored as SCANS 1.')).toBeVisible();
  await page.getByLabel('File system').click();
  await page.getByTitle('NTFS').click();
  await expect(page.getByText('Make D SCANS 1, 5.9 GiB NTFS')).toBeVisible();
  await typeSize(page, 'a handful');
  await expect(page.getByText(/is not a size/)).toBeVisible();
});
