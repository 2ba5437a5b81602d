/** What people come with, done in the page: how many presses, how long, and where a hand has to look or to wait. */
import type { Browser, Page } from '@playwright/test';
import { execFileSync } from 'node:child_process';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { box, recipe } from './common';
import { figure } from './figures';
import { Hand } from './hand';
import { ADDRESS, freshPage, served } from './served';

/** Given an image that is damaged, for whom wants one. */
type Task = (hand: Hand, page: Page, damaged: string) => Promise<void>;

const button = (page: Page, name: string | RegExp) => page.getByRole('button', { name, exact: true }).first();
const planned = (page: Page, name: RegExp) =>
  page.getByRole('group', { name: 'The disk now and planned' }).getByRole('button', { name });

async function divide(hand: Hand, page: Page, disk: string): Promise<void> {
  await hand.press(button(page, `Open ${disk}`), disk);
  await hand.press(button(page, 'Divide this disk'), 'Divide this disk');
}

async function run(hand: Hand, page: Page): Promise<void> {
  await hand.press(button(page, 'Review the work order'), 'Review');
  await hand.press(button(page, 'Run the work order'), 'Run');
  await hand.watch(page.getByText('Proven: every file is as it was'));
}

async function splitStick(hand: Hand, page: Page): Promise<void> {
  await divide(hand, page, 'Label printer stick');
  await hand.press(button(page, 'Split'), 'Split');
  await hand.type(page.getByLabel('Size', { exact: true }), '6 GiB', 'the size');
  await hand.type(page.getByLabel('Label', { exact: true }), 'SCANS', 'the label');
  await run(hand, page);
}

/** An image whose volume has lost a stretch of its first allocation table. */
function damagedImage(): string {
  const image = join(box, 'damaged.img');
  execFileSync('node', ['scripts/ullager.mjs', 'make', recipe('64 MiB', 8, 8), '--out', image]);
  const bytes = readFileSync(image);
  const start = 2 ** 20;
  const table = start + 512 * bytes.readUInt16LE(start + 14);
  bytes.fill(0xff, table + 4096, table + 4608);
  writeFileSync(image, bytes);
  return image;
}

const TASKS: Readonly<Record<string, Task>> = {
  'divide a stick': splitStick,
  'system and data on the SSD': async (hand, page) => {
    await divide(hand, page, 'Front desk SSD');
    await hand.press(button(page, 'Goals'), 'Goals');
    await hand.press(page.getByRole('radio', { name: /^System and data/ }), 'System and data');
    await hand.press(button(page, 'Fill the plan'), 'Fill the plan');
    await run(hand, page);
  },
  'room for C from behind D': async (hand, page) => {
    await divide(hand, page, 'Herbarium scans');
    await hand.press(planned(page, /C Scanner/), 'C');
    await hand.press(button(page, 'Make bigger…'), 'Make bigger');
    await hand.press(button(page, 'Take this way'), 'the first way');
    await run(hand, page);
  },
  'a volume in the middle bigger': async (hand, page) => {
    await divide(hand, page, 'Herbarium scans');
    await hand.press(planned(page, /D Sheets/), 'the volume');
    await hand.press(button(page, 'Make bigger…'), 'Make bigger');
    await hand.press(button(page, 'Take this way'), 'the first way');
    await run(hand, page);
  },
  'five volumes on a card': async (hand, page) => {
    await divide(hand, page, 'Orchid camera card');
    await hand.press(button(page, 'Several parts at once'), 'Several parts at once');
    for (const n of ['fourth', 'fifth']) await hand.press(button(page, 'One more'), `the ${n}`);
    await hand.press(button(page, 'Split in 5'), 'Split in 5');
    await run(hand, page);
  },
  'find out why it can’t be smaller': async (hand, page) => {
    await divide(hand, page, 'Label printer stick');
    await hand.press(button(page, 'What holds the floor'), 'What holds the floor');
    await hand.see(page.getByText(/in use and .* structure/), 'what holds it');
  },
  'put everything back': async (hand, page) => {
    await splitStick(hand, page);
    await hand.press(button(page, 'Rewind'), 'Rewind');
    await hand.press(button(page, 'OK'), 'OK');
    await hand.see(page.getByText('Nothing to do yet'), 'the plan of before');
  },
  'convert a table': async (hand, page) => {
    await divide(hand, page, 'Label printer stick');
    await hand.press(button(page, 'Table…'), 'Table');
    await hand.press(page.getByText('Convert to a GUID table'), 'Convert');
    await run(hand, page);
  },
  'describe a customer’s machine': async (hand, page) => {
    await hand.press(button(page, 'Describe a disk…'), 'Describe a disk');
    await hand.type(page.getByLabel('In use of volume 2'), '20 GiB', 'what is in use', false);
    await hand.type(page.getByLabel('Name'), 'Café till', 'its name');
    await hand.see(page.getByRole('heading', { name: 'Café till' }), 'the disk');
    await hand.press(button(page, 'Divide this disk'), 'Divide this disk');
    await hand.see(page.getByText('Nothing to do yet'), 'its plan');
  },
  'open a damaged image and save its files': async (hand, page, damaged) => {
    const opener = button(page, /^Open an image or a job/);
    await hand.give(opener, damaged, 'Open an image');
    await hand.see(page.getByText('Allocation table 2 differs from the first.'), 'what is wrong');
    await hand.press(button(page, 'Save all'), 'Save all');
    await page.waitForEvent('download');
  },
};

async function measure(browser: Browser, what: string, task: Task, damaged: string): Promise<void> {
  const { context, page } = await freshPage(browser);
  // Downloads and plain inputs, which a browser without a screen has, and nobody shown round.
  await context.addInitScript(() => {
    Object.assign(window, { showOpenFilePicker: undefined, showSaveFilePicker: undefined });
    localStorage.setItem('ullager-walked', 'before');
  });
  await page.goto(ADDRESS);
  await page.getByRole('button', { name: 'Open Label printer stick' }).and(page.locator(':enabled')).waitFor();
  const hand = new Hand(page);
  await task(hand, page, damaged);
  const told = [`${hand.interactions} interactions`, `${hand.seconds.toFixed(1)} s`];
  if (hand.running > 0) told.push(`${hand.running.toFixed(1)} of them run and proof`);
  figure({
    area: 'Tasks',
    what: `${what}: times that the next thing is not there within 1 s, or out of sight`,
    value: hand.hesitations.length,
    unit: 'times',
    better: 'less',
    wanted: 0,
    beside: [told.join(', '), ...hand.hesitations].join('; '),
  });
  await context.close();
}

/** Each task on a bench of its own, by a hand that knows the way and waits only for the page. */
export const benchTasks = (): Promise<void> =>
  served('Tasks', async (browser) => {
    const damaged = damagedImage();
    for (const [what, task] of Object.entries(TASKS)) await measure(browser, what, task, damaged);
  });
