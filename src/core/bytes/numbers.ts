/** Little-endian integers where they stand, for loops over very many of them. */

export const u16At = (bytes: Uint8Array, at: number): number => bytes[at]! | (bytes[at + 1]! << 8);

export const u32At = (bytes: Uint8Array, at: number): number => (u16At(bytes, at) | (u16At(bytes, at + 2) << 16)) >>> 0;

/** Of 64 bits; `Infinity` for what is no safe integer. */
export function u64At(bytes: Uint8Array, at: number): number {
  const high = u32At(bytes, at + 4);
  return high >= 1 << 21 ? Infinity : high * 2 ** 32 + u32At(bytes, at);
}
