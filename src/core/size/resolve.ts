/** From a wish to bytes: exact first, then rounded to whole bytes and to alignment with the difference told. */
import { CoreError } from '@/core/errors';
import { parseSize, type Ratio, type SizeSyntax, type SizeWish } from './grammar';

/** What a wish is set against, all in bytes. */
export interface SizeContext {
  /** What shares are shares of: the room there is for this volume. */
  readonly whole: number;
  /** What “rest” comes to. Defaults to `whole`. */
  readonly rest?: number;
  /** What changes are added to or taken from. Defaults to 0. */
  readonly current?: number;
  /** What “floor” comes to. Defaults to 0. */
  readonly floor?: number;
}

/** A resolved size. `exact` is false when a fraction of a byte was dropped. */
export interface ResolvedSize {
  readonly bytes: number;
  readonly exact: boolean;
}

/**
 * Turns a wish into bytes, rounding a fraction of a byte down.
 * @throws CoreError `size.negative` when a change leaves less than nothing, `size.unreadable` beyond 2^53
 */
export function resolveSize(wish: SizeWish, context: SizeContext): ResolvedSize {
  const { num, den } = ratioOf(wish, context);
  if (num < 0n) throw new CoreError('size.negative', { text: describe(wish) });
  const bytes = num / den;
  if (bytes > BigInt(Number.MAX_SAFE_INTEGER)) throw new CoreError('size.unreadable', { text: describe(wish) });
  return { bytes: Number(bytes), exact: num % den === 0n };
}

/** {@link parseSize} and {@link resolveSize} in one. */
export function readSize(text: string, context: SizeContext, syntax?: SizeSyntax): ResolvedSize {
  return resolveSize(parseSize(text, syntax), context);
}

/** Whether a wish is meant to the byte, and so is not rounded for alignment. */
export function isExact(wish: SizeWish): boolean {
  if (wish.kind === 'change') return isExact(wish.by);
  return wish.kind === 'rest' || wish.kind === 'floor' || (wish.kind === 'amount' && wish.single);
}

/** A rounding that was made, so that it can be told. */
export interface Rounding {
  readonly bytes: number;
  /** `bytes` minus what was asked for; negative when rounded down. */
  readonly by: number;
}

/** The nearest multiple of `unit`, halves up. */
export function roundTo(bytes: number, unit: number): Rounding {
  const rounded = Math.floor((bytes + unit / 2) / unit) * unit;
  return { bytes: rounded, by: rounded - bytes };
}

/** The multiple of `unit` at or below. */
export function floorTo(bytes: number, unit: number): number {
  return Math.floor(bytes / unit) * unit;
}

/** The multiple of `unit` at or above. */
export function ceilTo(bytes: number, unit: number): number {
  return Math.ceil(bytes / unit) * unit;
}

function ratioOf(wish: SizeWish, context: SizeContext): Ratio {
  switch (wish.kind) {
    case 'amount':
      return wish.bytes;
    case 'share':
      return { num: wish.of.num * BigInt(context.whole), den: wish.of.den };
    case 'rest':
      return { num: BigInt(context.rest ?? context.whole), den: 1n };
    case 'floor':
      return { num: BigInt(context.floor ?? 0), den: 1n };
    case 'change': {
      const by = ratioOf(wish.by, context);
      const base = BigInt(context.current ?? 0) * by.den;
      return { num: wish.sign > 0 ? base + by.num : base - by.num, den: by.den };
    }
  }
}

function describe(wish: SizeWish): string {
  return wish.kind === 'change' ? 'that change' : 'that size';
}
