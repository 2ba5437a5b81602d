/** What this tab alone remembers over its reloads; nothing where the browser lets it remember nothing. */

const VIEW = 'ullager-view';
const HELD = 'ullager-held';

function remembering<T>(act: (memory: Storage) => T): T | undefined {
  try {
    return act(sessionStorage);
  } catch {
    return undefined;
  }
}

export const tab = {
  /** Remembers something for the next time that this tab is loaded. */
  carry: (view: unknown): void => remembering((memory) => memory.setItem(VIEW, JSON.stringify(view))),

  /** What was remembered, once. */
  carried: (): unknown =>
    remembering((memory) => {
      const text = memory.getItem(VIEW);
      memory.removeItem(VIEW);
      return text === null ? undefined : (JSON.parse(text) as unknown);
    }),

  holds: (): void => remembering((memory) => memory.setItem(HELD, '1')),

  /** Whether it held the bench and was just loaded anew, so that its own worker of before may have it still. */
  heldBefore: (): boolean =>
    remembering((memory) => {
      const [entry] = performance.getEntriesByType('navigation') as PerformanceNavigationTiming[];
      return memory.getItem(HELD) !== null && entry?.type === 'reload';
    }) ?? false,

  /** Another tab has the bench now. */
  holdsNot: (): void => remembering((memory) => memory.removeItem(HELD)),
};
