import { expect, it } from 'vitest';
import { BenchLock, type Locks } from './bench-lock';

/** A lock that somebody holds for so long yet. */
function heldFor(ms: number): Locks {
  const request = (_name: string, { signal }: { signal: AbortSignal }, act: () => Promise<unknown>): Promise<unknown> =>
    new Promise((resolve, reject) => {
      const timer = setTimeout(() => resolve(act()), ms);
      signal.addEventListener('abort', () => {
        clearTimeout(timer);
        reject(signal.reason as Error);
      });
    });
  return { request } as unknown as Locks;
}

it('the bench is taken from a worker that is slow to go only by the tab whose own it was', async () => {
  const tabs = [new BenchLock(heldFor(2000)), new BenchLock(heldFor(2000)), new BenchLock(heldFor(0))];
  expect(await Promise.all([tabs[0]!.hold(), tabs[1]!.hold(true), tabs[2]!.hold()])).toEqual([false, true, true]);
  expect(() => tabs[0]!.assertHeld()).toThrow();
  tabs[1]!.assertHeld();
});
