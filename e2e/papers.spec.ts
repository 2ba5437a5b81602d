import { expect, type Page } from '@playwright/test';
import { createHash } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { axe, divideStick, openBench, pick, select, STICK, typeSize } from './bench';
import { test } from './test';

/** Saves something of a menu of papers, and gives its bytes. */
async function saved(page: Page, item: string): Promise<{ name: string; bytes: Buffer }> {
  await page.getByRole('button', { name: 'Papers…' }).click();
  const download = page.waitForEvent('download', { timeout: 30_000 });
  await page.getByRole('menuitem', { name: item }).click();
  const file = await download;
  return { name: file.suggestedFilename(), bytes: readFileSync(await file.path()) };
}

async function splitStick(page: Page): Promise<void> {
  await divideStick(page);
  await page.getByRole('button', { name: 'Split' }).click();
  await select(page, /E LABELS/);
  await typeSize(page, '6 GiB');
  await expect(page.getByText('Shrink E LABELS to 6 GiB')).toBeVisible();
}

test('a plan leaves as sheet, picture and job; a run as certificate, manifest and log', async ({ page }) => {
  await openBench(page);
  await splitStick(page);
  await page.getByRole('button', { name: 'Review the work order' }).click();
  await page.getByLabel('Notes for the customer').fill('Back by Friday. <b>Mind the tape.</b>');
  await axe(page);
  const pdf = await saved(page, 'Save the job sheet as PDF');
  expect(pdf.name).toBe(`${STICK} job sheet.pdf`);
  expect(pdf.bytes.subarray(0, 5).toString()).toBe('%PDF-');
  const html = (await saved(page, 'Save the job sheet as HTML')).bytes.toString();
  expect(html).toContain('&lt;b&gt;Mind the tape.');
  expect((await saved(page, 'Save the picture as SVG')).bytes.toString()).toContain('Planned');
  const job = JSON.parse((await saved(page, 'Save the job as a file')).bytes.toString());
  expect(job).toMatchObject({ version: 1, document: 'job', notes: 'Back by Friday. <b>Mind the tape.</b>' });
  expect(job.target.volumes[0]).toMatchObject({ keep: 1, size: `${6 * 2 ** 30} B`, letter: 'E' });
  await page.getByRole('button', { name: 'Run the work order' }).click();
  await expect(page.getByText('Proven: every file is as it was')).toBeVisible();
  await page.getByRole('button', { name: 'Log', exact: true }).click();
  await expect(page.getByLabel('The log of the runs on this disk')).toContainText('Finished: proven');
  await axe(page);
  const certificate = JSON.parse((await saved(page, 'Save the certificate as JSON')).bytes.toString());
  const csv = (await saved(page, 'Save the manifest of E LABELS as CSV')).bytes;
  expect(createHash('sha256').update(csv).digest('hex')).toBe(certificate.volumes[0].manifest);
  const lines = (await saved(page, 'Save the log as JSON lines')).bytes.toString().trimEnd().split('\n');
  expect(lines.map((line) => JSON.parse(line).what)).toEqual(
    expect.arrayContaining(['begun', 'step', 'done', 'finished']),
  );
  expect((await saved(page, 'Save the certificate as HTML')).bytes.toString()).toContain('Mind the tape.');
});

test('a job is opened on its own disk, and on another with every difference told', async ({ page }) => {
  await openBench(page);
  await splitStick(page);
  await page.getByRole('button', { name: 'Review the work order' }).click();
  const { name, bytes } = await saved(page, 'Save the job as a file');
  await page.getByRole('button', { name: 'Divide', exact: true }).click();
  await page.keyboard.press('Control+z');
  await page.keyboard.press('Control+z');
  await page.getByRole('button', { name: 'Ullager, to the bench' }).click();
  const open = (): Promise<void> =>
    pick(page, page.getByRole('button', { name: 'Open an image or a job…' }), {
      ...{ name, mimeType: 'application/json', buffer: bytes },
    });
  await open();
  const dialog = page.getByRole('dialog', { name: `A job planned on ${STICK}` });
  await expect(dialog.getByText('nothing differs')).toBeVisible();
  await axe(page);
  await dialog.getByRole('button', { name: 'Take it over' }).click();
  await expect(page.getByText('Shrink E LABELS to 6 GiB')).toBeVisible();
  await page.getByRole('button', { name: 'Ullager, to the bench' }).click();
  await open();
  await dialog.getByLabel('On which disk').click();
  await page.getByTitle('Orchid camera card').click();
  await expect(dialog.getByText('Volume 1 is fat32 in the job, and exfat here.')).toBeVisible();
  await expect(dialog.getByText(/Size of the disk: 14.9 GiB/)).toBeVisible();
  await dialog.getByRole('button', { name: 'Cancel' }).click();
  const broken = { name: 'x.json', mimeType: 'application/json', buffer: Buffer.from('{"document":"job"}') };
  await pick(page, page.getByRole('button', { name: 'Open an image or a job…' }), broken);
  await expect(page.getByText(/x.json can’t be opened as a job/)).toBeVisible();
});

test('all volumes of the bench leave as one list', async ({ page }) => {
  await openBench(page);
  const download = page.waitForEvent('download');
  await page.getByRole('button', { name: 'Volume list…' }).click();
  const text = readFileSync(await (await download).path(), 'utf8');
  expect(text.split('\r\n')[0]).toContain('label,fileSystem,start,size');
  expect(text).toContain(`${STICK},1,LABELS,fat32,`);
});
