/** A time on paper: of the machine’s own zone. */
export const timeWords = (date: Date): string =>
  date.toLocaleString('en-GB', { dateStyle: 'long', timeStyle: 'short' });
