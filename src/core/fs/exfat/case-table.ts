/**
 * The case table of an exFAT volume, which may be stored short: 0xFFFF and a count stand for that many units that are
 * their own capitals (“exFAT file system specification”, section 7.2.5).
 */
import { buildUpcase } from '../case-table';

const UNITS = 65_536;
const SKIP = 0xffff;
/** Shorter runs are not worth two units. */
const LEAST_SKIP = 3;

const IDENTITY = new Uint16Array(UNITS);
for (let unit = 0; unit < UNITS; unit++) IDENTITY[unit] = unit;

/** The table as it is stored, or undefined when it makes no sense. */
export function parseCaseTable(bytes: Uint8Array): Uint16Array | undefined {
  const table = IDENTITY.slice();
  let unit = 0;
  for (let at = 0; at + 1 < bytes.length && unit < UNITS; at += 2) {
    const value = bytes[at]! | (bytes[at + 1]! << 8);
    if (value === SKIP && at + 3 < bytes.length && unit < UNITS - 1) {
      at += 2;
      unit += bytes[at]! | (bytes[at + 1]! << 8);
    } else {
      table[unit] = value;
      unit += 1;
    }
  }
  return unit >= 128 ? table : undefined;
}

/** The table of a new volume, stored short. */
export function storedCaseTable(): Uint8Array {
  const table = buildUpcase();
  const out: number[] = [];
  for (let unit = 0; unit < UNITS;) {
    let end = unit;
    while (end < UNITS - 1 && table[end] === end) end += 1;
    if (end - unit >= LEAST_SKIP) {
      out.push(SKIP, end - unit);
      unit = end;
    } else {
      out.push(table[unit]!);
      unit += 1;
    }
  }
  return new Uint8Array(Uint16Array.from(out).buffer);
}
