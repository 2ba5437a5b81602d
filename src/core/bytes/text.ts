/** Units of text as they are stored, put together. */
import { u16At } from './numbers';

/** Plain lists by length: one call for all units makes a flat text, and takes them fastest from a list. */
const LISTS = Array.from({ length: 261 }, (_, length) => new Array<number>(length).fill(0));

/** A list for so many units, to be filled and given to {@link spell} before another is asked for. */
export const unitList = (length: number): number[] => LISTS[length] ?? new Array<number>(length).fill(0);

/** UTF-16 units as text; unpaired surrogates stay what they are. */
export function spell(units: readonly number[]): string {
  if (units.length < LISTS.length) return String.fromCharCode.apply(null, units as number[]);
  return units.map((unit) => String.fromCharCode(unit)).join('');
}

/** UTF-16 little-endian as text. */
export function utf16(bytes: Uint8Array, from = 0, to = bytes.length): string {
  const units = unitList((to - from) >> 1);
  for (let i = 0; i < units.length; i++) units[i] = u16At(bytes, from + 2 * i);
  return spell(units);
}

/** Bytes of ASCII as text. */
export function ascii(bytes: Uint8Array, from: number, to: number): string {
  const units = unitList(to - from);
  for (let i = 0; i < units.length; i++) units[i] = bytes[from + i]!;
  return spell(units);
}
