/** What of a folder's bytes is kept, on FAT and exFAT alike: entries of 32 bytes, up to one that begins with zero. */

const ENTRY_BYTES = 32;

/** The part up to the end mark; a copy where most lies behind it, so that nobody keeps that. */
export function upToEndMark(bytes: Uint8Array): Uint8Array {
  let end = 0;
  while (end + ENTRY_BYTES <= bytes.length && bytes[end] !== 0) end += ENTRY_BYTES;
  return end < bytes.length / 2 ? bytes.slice(0, end) : bytes.subarray(0, end);
}
