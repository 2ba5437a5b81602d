/**
 * FAT names: the 11-byte short name and the long name in entries of its own.
 *
 * FATGEN 1.03 “FAT Directory Structure” (short names), “FAT Long Directory Entries” and “Name Limits and Character
 * Sets”. Bytes above 127 in short names are read in code page 437, the OEM page of the specification's own examples.
 */
import { CoreError } from '@/core/errors';
import { DIRECTORY_ENTRY_BYTES } from './boot-sector';

const CP437_HIGH =
  'ÇüéâäàåçêëèïîìÄÅÉæÆôöòûùÿÖÜ¢£¥₧ƒáíóúñÑªº¿⌐¬½¼¡«»░▒▓│┤╡╢╖╕╣║╗╝╜╛┐└┴┬├─┼╞╟╚╔╩╦╠═╬╧╨╤╥╙╘╒╓╫╪┘┌█▄▌▐▀αßΓπΣσµτΦΘΩδ∞φε∩≡±≥≤⌠⌡÷≈°∙·√ⁿ²■\u00a0';

/** Characters a long name must not hold. */
const FORBIDDEN_LONG = /[\u0000-\u001f"*/:<>?\\|]/;
/** Characters a short name must not hold beside those. */
const FORBIDDEN_SHORT = /[+,;=[\]. ]/;
const MAX_LONG = 255;
export const LETTERS_AN_ENTRY = 13;
const LOWER_BASE = 0x08;
const LOWER_EXTENSION = 0x10;
/** The byte that stands for 0xE5 in first place, since 0xE5 there means a deleted entry. */
const KANJI_E5 = 0x05;
/** Names that address devices on the systems this file system comes from. */
const RESERVED = /^(con|prn|aux|nul|com[1-9]|lpt[1-9])(\..*)?$/i;

const decodeByte = (b: number): string => (b < 0x80 ? String.fromCharCode(b) : CP437_HIGH[b - 0x80]!);

function encodeChar(c: string): number | undefined {
  const code = c.codePointAt(0)!;
  if (code < 0x80) return code;
  const at = CP437_HIGH.indexOf(c);
  return at < 0 ? undefined : at + 0x80;
}

/** A short name as people write it, with the lower-case flags of the entry applied. */
export function decodeShortName(raw: Uint8Array, caseFlags: number): string {
  const bytes = raw.slice(0, 11);
  if (bytes[0] === KANJI_E5) bytes[0] = 0xe5;
  const part = (from: number, to: number): string =>
    Array.from(bytes.subarray(from, to), decodeByte).join('').trimEnd();
  let base = part(0, 8);
  let extension = part(8, 11);
  if (caseFlags & LOWER_BASE) base = base.toLowerCase();
  if (caseFlags & LOWER_EXTENSION) extension = extension.toLowerCase();
  return extension ? `${base}.${extension}` : base;
}

/** The checksum of the short name at `at` that its long-name entries carry. */
export function shortNameChecksum(raw: Uint8Array, at = 0): number {
  let sum = 0;
  for (let i = at; i < at + 11; i++) sum = (((sum & 1) << 7) + (sum >> 1) + raw[i]!) & 0xff;
  return sum;
}

/** @throws CoreError `fs.name` when `name` can't be a file's name on a FAT volume */
export function assertName(name: string): void {
  const reason = nameFault(name);
  if (reason) throw new CoreError('fs.name', { name, reason });
}

/** Whether a name can't be that of a file, and whether it is only too long. */
export function fatNameFault(name: string): 'letters' | 'length' | undefined {
  if (name.length > MAX_LONG) return 'length';
  return nameFault(name) === undefined ? undefined : 'letters';
}

function nameFault(name: string): string | undefined {
  if (name.length === 0 || name === '.' || name === '..') return 'it is empty or only dots';
  if (name.length > MAX_LONG) return `it has more than ${MAX_LONG} characters`;
  if (FORBIDDEN_LONG.test(name)) return 'it holds a character that is not allowed';
  if (/[. ]$/.test(name)) return 'it ends in a dot or a space';
  return RESERVED.test(name) ? 'that name is reserved for a device' : undefined;
}

/** A short name's bytes, with the numeric tail that makes it unique, and whether a long name is needed beside it. */
export interface ShortName {
  readonly raw: Uint8Array;
  readonly needsLong: boolean;
}

/** Hands out short names that are unique within one directory. */
export class ShortNames {
  readonly #taken = new Set<string>();
  readonly #nextTail = new Map<string, number>();

  /** Marks a name that is in the directory already. */
  take(raw: Uint8Array): void {
    this.#taken.add(keyOf(raw));
  }

  /** The short name for `name`, marked as taken. */
  next(name: string): ShortName {
    const exact = exactShortName(name);
    if (exact && !this.#taken.has(keyOf(exact))) {
      this.take(exact);
      return { raw: exact, needsLong: false };
    }
    const { base, extension } = basis(name);
    const key = `${base}.${extension}`;
    for (let tail = this.#nextTail.get(key) ?? 1; tail < 1_000_000; tail++) {
      const raw = packShort(withTail(base, tail), extension);
      if (this.#taken.has(keyOf(raw))) continue;
      this.#nextTail.set(key, tail + 1);
      this.take(raw);
      return { raw, needsLong: true };
    }
    throw new CoreError('fs.name', { name, reason: 'too many names like it are in the folder' });
  }
}

const keyOf = (raw: Uint8Array): string => String.fromCharCode(...raw.subarray(0, 11));

/** Bytes of a folder that the entries of a name take, where no other name is in the way of its short one. */
export const nameBytes = (name: string): number =>
  DIRECTORY_ENTRY_BYTES * (1 + (exactShortName(name) ? 0 : Math.ceil(name.length / LETTERS_AN_ENTRY)));

/** The name itself as a short name, if it is one to the letter. */
function exactShortName(name: string): Uint8Array | undefined {
  const match = /^([^.]{1,8})(?:\.([^.]{1,3}))?$/.exec(name);
  if (!match || name !== name.toUpperCase()) return undefined;
  const [base, extension] = [match[1]!, match[2] ?? ''];
  if (FORBIDDEN_SHORT.test(base) || FORBIDDEN_SHORT.test(extension)) return undefined;
  if ([...base, ...extension].some((c) => c.length > 1 || encodeChar(c) === undefined)) return undefined;
  return packShort(base, extension);
}

/** The basis name: upper case, forbidden characters as underscores, spaces and all dots but the last left out. */
function basis(name: string): { base: string; extension: string } {
  const upper = name.toUpperCase().replace(/ /g, '').replace(/^\.+/, '');
  const dot = upper.lastIndexOf('.');
  const clean = (s: string): string =>
    [...s.replaceAll('.', '')].map((c) => (encodeChar(c) === undefined || FORBIDDEN_SHORT.test(c) ? '_' : c)).join('');
  const base = clean(dot > 0 ? upper.slice(0, dot) : upper).slice(0, 8);
  return { base: base || '_', extension: clean(dot > 0 ? upper.slice(dot + 1) : '').slice(0, 3) };
}

function withTail(base: string, tail: number): string {
  const suffix = `~${tail}`;
  return base.slice(0, 8 - suffix.length) + suffix;
}

function packShort(base: string, extension: string): Uint8Array {
  const raw = new Uint8Array(11).fill(0x20);
  [...base].forEach((c, i) => (raw[i] = encodeChar(c)!));
  [...extension].forEach((c, i) => (raw[8 + i] = encodeChar(c)!));
  if (raw[0] === 0xe5) raw[0] = KANJI_E5;
  return raw;
}

/** The label as stored: upper case, at most 11 characters of the OEM page. @throws CoreError `fs.label` */
export function normaliseLabel(label: string): string {
  const refuse = (reason: string): never => {
    throw new CoreError('fs.label', { label, reason });
  };
  const upper = label.trim().toUpperCase();
  if (upper.length > 11) refuse('a FAT label has at most 11 characters');
  if (/[\u0000-\u001f"*+,./:;<=>?[\\\]|]/.test(upper)) refuse('it holds a character that a FAT label must not');
  if ([...upper].some((c) => encodeChar(c) === undefined))
    refuse('it holds a character that FAT labels have no code for');
  if (upper === 'NO NAME') refuse('NO NAME is what a volume without a label is called');
  return upper;
}

/** A normalised label as 11 padded bytes. */
export function packLabel(label: string): Uint8Array {
  const raw = new Uint8Array(11).fill(0x20);
  [...label].forEach((c, i) => (raw[i] = encodeChar(c)!));
  if (raw[0] === 0xe5) raw[0] = KANJI_E5;
  return raw;
}

/** A stored label as text. */
export function unpackLabel(raw: Uint8Array): string {
  const bytes = raw.slice(0, 11);
  if (bytes[0] === KANJI_E5) bytes[0] = 0xe5;
  return Array.from(bytes, decodeByte).join('').trimEnd();
}
