/** Seconds that something takes. */
export async function timed(act: () => Promise<unknown> | unknown): Promise<number> {
  const started = performance.now();
  await act();
  return (performance.now() - started) / 1000;
}
