/**
 * The size grammar: what a technician may type where a size is asked for.
 *
 *   size   := amount | share | word | change
 *   amount := number [unit]              60 GB · 61 440 MiB · 60g · 1.5 TiB · 1,5 TiB (comma locales)
 *   share  := number '%' | int '/' int   50 % · 1/3
 *   word   := half | rest | all | max | floor | min
 *   change := ('+' | '-') (amount | share)
 *
 * Units with an i are powers of 1024; units ending in B without one are powers of 1000; a bare letter (60g) and
 * “gig(s)” mean the 1024 kind, since that is what the system will show afterwards. Amounts are exact rationals until
 * {@link resolveSize} turns them into bytes, so no rounding goes untold.
 */
import { CoreError } from '@/core/errors';

/** An exact non-negative rational; both parts are integers. */
export interface Ratio {
  readonly num: bigint;
  readonly den: bigint;
}

/** What was asked for, before it is set against a disk. */
export type SizeWish =
  /** `single`: it was asked for in bytes, and is meant to the byte. */
  | { readonly kind: 'amount'; readonly bytes: Ratio; readonly single: boolean }
  | { readonly kind: 'share'; readonly of: Ratio }
  | { readonly kind: 'rest' }
  | { readonly kind: 'floor' }
  | { readonly kind: 'change'; readonly sign: 1 | -1; readonly by: SizeWish };

/** How numbers are written: the decimal mark, and the unit of a number that has none. */
export interface SizeSyntax {
  readonly decimal?: '.' | ',';
  readonly defaultUnit?: string;
}

const UNIT_BYTES: Readonly<Record<string, bigint>> = (() => {
  const out: Record<string, bigint> = { b: 1n, byte: 1n, bytes: 1n, o: 1n };
  ['k', 'm', 'g', 't', 'p'].forEach((letter, i) => {
    const binary = 1024n ** BigInt(i + 1);
    out[letter] = binary;
    out[`${letter}i`] = binary;
    out[`${letter}ib`] = binary;
    out[`${letter}b`] = 1000n ** BigInt(i + 1);
  });
  const gig = 1024n ** 3n;
  return { ...out, gig, gigs: gig, meg: 1024n ** 2n, megs: 1024n ** 2n };
})();

const SPACES = /[\s\u00a0\u2007\u2009\u202f]+/g;
const HALF: Ratio = { num: 1n, den: 2n };
const WHOLE: Ratio = { num: 1n, den: 1n };

/**
 * Reads a size as typed.
 * @throws CoreError `size.unreadable` or `size.unit`
 */
export function parseSize(text: string, syntax: SizeSyntax = {}): SizeWish {
  const plain = text.replace(SPACES, '').toLowerCase();
  if (plain === 'rest') return { kind: 'rest' };
  if (plain === 'floor' || plain === 'min') return { kind: 'floor' };
  if (plain === 'half') return { kind: 'share', of: HALF };
  if (plain === 'all' || plain === 'max') return { kind: 'share', of: WHOLE };
  const sign = plain[0];
  if (sign === '+' || sign === '-' || sign === '\u2212') {
    return { kind: 'change', sign: sign === '+' ? 1 : -1, by: parseTerm(plain.slice(1), text, syntax) };
  }
  return parseTerm(plain, text, syntax);
}

function parseTerm(plain: string, text: string, syntax: SizeSyntax): SizeWish {
  const fraction = /^(\d{1,9})\/(\d{1,9})$/.exec(plain);
  if (fraction) return { kind: 'share', of: share(BigInt(fraction[1]!), BigInt(fraction[2]!), text) };
  const match = /^([\d.,']+)(%|[a-zµ]*)$/.exec(plain);
  if (!match) throw new CoreError('size.unreadable', { text });
  const number = parseNumber(match[1]!, text, syntax.decimal ?? '.');
  if (match[2] === '%') return { kind: 'share', of: share(number.num, number.den * 100n, text) };
  const unit = match[2] || (syntax.defaultUnit ?? 'GiB').toLowerCase();
  const scale = UNIT_BYTES[unit];
  if (scale === undefined) throw new CoreError('size.unit', { text, unit: match[2]! });
  return { kind: 'amount', bytes: { num: number.num * scale, den: number.den }, single: scale === 1n };
}

function share(num: bigint, den: bigint, text: string): Ratio {
  if (den === 0n) throw new CoreError('size.unreadable', { text });
  return { num, den };
}

/** A mark that is not the locale's decimal one groups thousands, unless it can only be a decimal. */
function parseNumber(digits: string, text: string, decimal: '.' | ','): Ratio {
  if (digits.length > 40) throw new CoreError('size.unreadable', { text });
  const other = decimal === '.' ? ',' : '.';
  let body = digits.replaceAll("'", '');
  const grouped = new RegExp(`^\\d{1,3}(\\${other}\\d{3})+(\\${decimal}\\d*)?$`);
  if (grouped.test(body)) body = body.replaceAll(other, '');
  else if (!body.includes(decimal)) body = body.replace(other, decimal);
  const match = new RegExp(`^(\\d*)(?:\\${decimal}(\\d*))?$`).exec(body);
  const whole = match?.[1] ?? '';
  const part = match?.[2] ?? '';
  if (!match || whole + part === '') throw new CoreError('size.unreadable', { text });
  return { num: BigInt(whole + part), den: 10n ** BigInt(part.length) };
}
