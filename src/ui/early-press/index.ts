/**
 * What is pressed on a page that is shown but not yet run. The document comes drawn by the server; until its scripts have
 * taken it over nothing would answer, and a press would be lost without a word.
 */

type Holding = typeof globalThis & { takePressed?: () => Element | undefined };

/** Stands in the document before anything can be pressed: it keeps the last press, and hands it over once. */
export const EARLY_PRESS_SCRIPT = `{
  let pressed;
  const keep = (event) => {
    event.stopImmediatePropagation();
    event.preventDefault();
    pressed = event.target;
  };
  addEventListener('click', keep, true);
  window.takePressed = () => {
    removeEventListener('click', keep, true);
    delete window.takePressed;
    return pressed;
  };
}`;

/** Does what was pressed, unless it is gone, and lets all that is pressed from now on go its way. */
export function pressEarly(): void {
  const pressed = (globalThis as Holding).takePressed?.();
  const button = pressed?.closest<HTMLElement>('a, button, input, label');
  if (button?.isConnected) button.click();
}
