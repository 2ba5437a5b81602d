/**
 * FAT timestamps: local time without a zone, days since 1980 in a date word, two-second steps in a time word, and
 * hundredths beside the creation time (FATGEN 1.03 “Date and Time Formats”). Shown as ISO 8601 without a zone.
 */

/** Date and time words; `hundredths` (0 to 199) only beside a creation time. */
export interface FatStamp {
  readonly date: number;
  readonly time: number;
  readonly hundredths?: number;
}

const two = (n: number): string => String(n).padStart(2, '0');

/** The stamp in words, or undefined when none is stored. */
export function stampToIso({ date, time, hundredths }: FatStamp): string | undefined {
  if (date === 0) return undefined;
  const day = `${1980 + (date >> 9)}-${two((date >> 5) & 15)}-${two(date & 31)}`;
  const seconds = (time & 31) * 2 + Math.floor((hundredths ?? 0) / 100);
  const clock = `${two(time >> 11)}:${two((time >> 5) & 63)}:${two(seconds)}`;
  return hundredths === undefined ? `${day}T${clock}` : `${day}T${clock}.${two(hundredths % 100)}`;
}

/** The date alone in words, or undefined when none is stored. */
export function dateToIso(date: number): string | undefined {
  return stampToIso({ date, time: 0 })?.slice(0, 10);
}

/** The stamp of an ISO time; its zone, if any, is left out of account. Times before 1980 come out as 1 January 1980. */
export function isoToStamp(iso: string | undefined): Required<FatStamp> {
  const m = iso === undefined ? null : /^(\d{4})-(\d\d)-(\d\d)(?:T(\d\d):(\d\d):(\d\d)(?:\.(\d\d))?)?/.exec(iso);
  if (!m) return { date: 0, time: 0, hundredths: 0 };
  const [year, month, day, hour, minute, second, part] = m.slice(1).map((s) => Number(s ?? 0)) as number[];
  if (year! < 1980) return { date: 0x21, time: 0, hundredths: 0 };
  return {
    date: ((Math.min(year!, 2107) - 1980) << 9) | (month! << 5) | day!,
    time: (hour! << 11) | (minute! << 5) | (second! >> 1),
    hundredths: (second! & 1) * 100 + part!,
  };
}
