import { chromium } from '@playwright/test';
const args = ['--headless','--no-sandbox','--disable-gpu','--disable-quic','--no-first-run','--disable-background-networking','--disable-component-update','--disable-sync'];
const browser = await chromium.launch({ executablePath: '/usr/bin/chromium', args });
const context = await browser.newContext({ viewport: { width: 1280, height: 800 }, colorScheme: (process.argv[3] ?? 'light') as never, reducedMotion: 'reduce' });
const page = await context.newPage();
page.on('console', (m) => m.type() === 'error' && console.log('console', m.text()));
page.on('pageerror', (e) => console.log('pageerror', e.message));
await page.goto('http://localhost:4199');
await page.getByRole('button', { name: 'Open Herbarium scans' }).waitFor();
await page.waitForFunction(() => document.querySelectorAll('button[aria-label^="Open "]:disabled').length === 0);
const shot = async (n: string) => { await page.mouse.move(640, 799); await page.waitForTimeout(900); await page.screenshot({ path: `/tmp/shots/${n}.png` }); };
const tab = (name: string) => page.getByText(name, { exact: true }).first().click();
const mode = process.argv[2];
if (mode === 'sound') {
  await page.getByRole('button', { name: 'Open Herbarium scans' }).click();
  await page.waitForTimeout(6000);
  await shot('look');
  await tab('Scan'); await shot('scan0');
  const t = Date.now();
  await page.getByRole('button', { name: 'Scan the disk' }).click();
  await page.getByText('Scanned', { exact: true }).waitFor({ timeout: 120000 });
  console.log('scan ms', Date.now() - t);
  await shot('scan1');
  await tab('Speed'); 
  await page.getByRole('button', { name: /Measure/ }).click();
  await page.getByRole('button', { name: 'Measure again' }).waitFor();
  await page.getByRole('button', { name: 'Measure again' }).click();
  await page.waitForTimeout(800);
  await shot('speed');
  await tab('Findings'); await shot('findings');
  await tab('Lost volumes'); 
  await page.getByRole('button', { name: /Search/ }).click();
  await page.waitForTimeout(2500);
  await shot('lost');
}
if (mode === 'wipe') {
  await page.getByRole('button', { name: 'Open Label printer stick' }).click();
  await page.getByRole('button', { name: 'Divide', exact: true }).click();
  await page.waitForTimeout(3000);
  await page.getByRole('button', { name: 'Wipe…' }).click();
  await page.getByText(/The free space inside/).click();
  await shot('wipe');
  await page.getByRole('button', { name: 'Plan the wipe' }).click();
  await shot('wiped');
  await page.getByRole('button', { name: 'Review the work order' }).click();
  await shot('review');
  await page.getByRole('button', { name: 'Run the work order' }).click();
  await page.getByText('Proven').waitFor({ timeout: 120000 });
  await shot('prove');
}

if (mode === 'image') {
  const open = async (f: string) => {
    const [c] = await Promise.all([page.waitForEvent('filechooser'), page.getByRole('button', { name: 'Open a disk image' }).first().click()]);
    await c.setFiles(f);
  };
  await page.evaluate(() => Object.assign(window, { showOpenFilePicker: undefined, showSaveFilePicker: undefined }));
  await open('/tmp/x/m.img');
  await page.waitForTimeout(3000);
  await shot('damaged');
  await tab('Findings'); await page.waitForTimeout(500);
  await page.getByRole('button', { name: 'Look for what can be mended' }).click();
  await page.waitForTimeout(2500);
  await shot('mends');
  await page.getByRole('button', { name: 'Plan the mending' }).click();
  await shot('mendreview');
  await page.getByRole('button', { name: 'Run the work order' }).click();
  await page.getByText('Proven').waitFor({ timeout: 60000 });
  await shot('mended');
  await open('/tmp/x/n.img');
  await page.waitForTimeout(2500);
  await shot('notable');
  await page.getByRole('button', { name: /table is gone/ }).click();
  await page.waitForTimeout(1500);
  await page.getByRole('button', { name: /Search/ }).click();
  await page.getByRole('button', { name: 'Look into' }).first().waitFor();
  await page.getByRole('button', { name: 'Look into' }).first().click();
  await page.waitForTimeout(800);
  await shot('lost2');
  await page.getByRole('button', { name: 'Put all into a new GUID table' }).click();
  await shot('putback');
  await page.getByRole('button', { name: 'Review the work order' }).click();
  await page.getByRole('button', { name: 'Run the work order' }).click();
  await page.getByText('Proven').waitFor({ timeout: 60000 });
  await shot('putproven');
}
await browser.close();
