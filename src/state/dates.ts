/** Dates and times, one way everywhere: as the person's own machine writes them, and how long ago in words. */
import dayjs from 'dayjs';
import relativeTime from 'dayjs/plugin/relativeTime';

dayjs.extend(relativeTime);

type When = string | number | Date;

/** 27 Nov 2026, 14:05, in the person's own way of writing. */
export const whenWords = (when: When): string =>
  dayjs(when).toDate().toLocaleString(undefined, { dateStyle: 'medium', timeStyle: 'short' });

/** 3 minutes ago. */
export const agoWords = (when: When): string => dayjs(when).fromNow();
