/** Bytes in words: the 1024 kind as systems show it, the 1000 kind as boxes print it, and exact figures. */

const BINARY = ['B', 'KiB', 'MiB', 'GiB', 'TiB', 'PiB'];
const DECIMAL = ['B', 'kB', 'MB', 'GB', 'TB', 'PB'];
/** A narrow no-break space: thousands are spaced, never marked. */
const THIN = '\u202f';

export const KIB = 1024;
export const MIB = 1024 ** 2;
export const GIB = 1024 ** 3;
export const TIB = 1024 ** 4;

/** Which of the two unit systems sizes are shown in. */
export type UnitSystem = 'binary' | 'decimal';

/** An integer with its thousands spaced: 282 522. */
export function spaced(value: number): string {
  return Math.trunc(value)
    .toString()
    .replace(/\B(?=(\d{3})+(?!\d))/g, THIN);
}

/** A size in the unit that keeps one to four digits before the mark and at most one after: 475.9 GiB. */
export function formatSize(bytes: number, system: UnitSystem = 'binary'): string {
  const base = system === 'binary' ? 1024 : 1000;
  const units = system === 'binary' ? BINARY : DECIMAL;
  let value = Math.abs(bytes);
  let unit = 0;
  // 999.95 would be printed as 1000.0, so the step up comes a little before the base.
  while (unit < units.length - 1 && value >= base - 0.05) {
    value /= base;
    unit += 1;
  }
  const digits = unit === 0 || Number.isInteger(value) || value >= 9999 ? 0 : 1;
  const shown = value.toFixed(digits).replace(/\.0$/, '');
  return `${bytes < 0 ? '\u2212' : ''}${spacedDecimal(shown)} ${units[unit]}`;
}

/** Whole or fractional MiB with thousands spaced: 282 522 MiB. */
export function formatMib(bytes: number): string {
  const mib = bytes / MIB;
  return `${spacedDecimal(Number.isInteger(mib) ? String(mib) : mib.toFixed(mib < 10 ? 2 : 1))} MiB`;
}

/** Exact bytes with thousands spaced. */
export function formatBytes(bytes: number): string {
  return `${spaced(bytes)} bytes`;
}

/** The three faces of one size. */
export interface SizeFaces {
  readonly bytes: number;
  readonly binary: string;
  readonly decimal: string;
}

/** Exact bytes and both unit systems. */
export function sizeFaces(bytes: number): SizeFaces {
  return { bytes, binary: formatSize(bytes), decimal: formatSize(bytes, 'decimal') };
}

/** A size as it can be typed again without loss: whole GiB or MiB where it is one, else bytes. */
export function typedSize(bytes: number): string {
  if (bytes > 0 && bytes % GIB === 0) return `${bytes / GIB} GiB`;
  if (bytes > 0 && bytes % MIB === 0) return `${bytes / MIB} MiB`;
  return `${bytes} B`;
}

function spacedDecimal(shown: string): string {
  const [whole, part] = shown.split('.');
  const head = whole!.length > 3 ? spaced(Number(whole)) : whole!;
  return part ? `${head}.${part}` : head;
}
