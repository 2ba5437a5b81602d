/** The sign of life that the worker gives, whatever else it does. */
const BEAT = 'ullager-beat';

export const BEAT_EVERY_MS = 1000;
export const beat = (): void => postMessage(BEAT);
export const isBeat = (message: unknown): boolean => message === BEAT;
