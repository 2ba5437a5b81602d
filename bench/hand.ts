/** A hand that does in the page what a person would, and counts where it has to look for something or to wait. */
import type { FileChooser, Locator, Page } from '@playwright/test';

/** Whoever does not see within this that what was pressed went on looks up. */
const AT_ONCE_MS = 1000;
/** Longer than anything takes that is waited for. */
const AT_ALL_MS = 60_000;

/** Whether a control can be pressed where it is: in the window, and under nothing else. */
const inSight = (control: Locator): Promise<boolean> =>
  control.evaluate((element) => {
    const { left, right, top, bottom } = element.getBoundingClientRect();
    const [x, y] = [(left + right) / 2, (top + bottom) / 2];
    if (x < 0 || y < 0 || x > innerWidth || y > innerHeight) return false;
    const there = document.elementFromPoint(x, y);
    return there !== null && (element.contains(there) || there.contains(element));
  });

/** The hand on one page. */
export class Hand {
  /** Presses, and words that were typed into a field. */
  interactions = 0;
  /** What each hesitation was about. */
  readonly hesitations: string[] = [];
  /** Seconds that a run and its proof took, which nobody hesitates over: it is told how far they are. */
  running = 0;
  readonly #begun = performance.now();
  #since = performance.now();

  constructor(readonly page: Page) {}

  get seconds(): number {
    return (performance.now() - this.#begun) / 1000;
  }

  /** Presses a control as soon as it can be, having brought it into sight where it is not. */
  async press(control: Locator, what: string): Promise<void> {
    await this.#reach(control, what);
    await control.click();
    this.#did();
  }

  /** Types into the field that has the focus already, or into one that is pressed first; and enters it, where that is meant. */
  async type(field: Locator, text: string, what: string, enters = true): Promise<void> {
    await field.waitFor({ timeout: AT_ALL_MS });
    if (!(await field.evaluate((element) => element === document.activeElement))) await this.press(field, what);
    await field.fill(text);
    if (enters) await field.press('Enter');
    this.#did();
  }

  /** Gives a file to a control that asks for one. */
  async give(control: Locator, file: Parameters<FileChooser['setFiles']>[0], what: string): Promise<void> {
    await this.#reach(control, what);
    const [chooser] = await Promise.all([this.page.waitForEvent('filechooser'), control.click()]);
    await chooser.setFiles(file);
    this.#did();
  }

  /** Waits for what was wanted; nothing is done for it. */
  async see(what: Locator, words: string): Promise<void> {
    await what.first().waitFor({ timeout: AT_ALL_MS });
    this.#late(words);
    if (!(await inSight(what.first()))) this.hesitations.push(`${words} is out of sight`);
    this.#since = performance.now();
  }

  /** Waits for the end of what tells how far it is. */
  async watch(end: Locator): Promise<void> {
    const started = performance.now();
    await end.first().waitFor({ timeout: AT_ALL_MS });
    this.running += (performance.now() - started) / 1000;
    this.#since = performance.now();
  }

  async #reach(control: Locator, what: string): Promise<void> {
    await control.and(this.page.locator(':not(:disabled)')).waitFor({ timeout: AT_ALL_MS });
    this.#late(what);
    if (!(await inSight(control))) this.hesitations.push(`${what} is out of sight`);
  }

  #late(what: string): void {
    const waited = performance.now() - this.#since;
    if (waited > AT_ONCE_MS) this.hesitations.push(`${what} is there after ${(waited / 1000).toFixed(1)} s`);
  }

  #did(): void {
    this.interactions++;
    this.#since = performance.now();
  }
}
