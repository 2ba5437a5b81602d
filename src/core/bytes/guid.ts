/**
 * GUIDs as text and as bytes.
 *
 * UEFI 2.10 Appendix A: the first three groups are little-endian on the disk, the last two stand as they are written.
 */
const GUID = /^[0-9A-F]{8}(-[0-9A-F]{4}){3}-[0-9A-F]{12}$/;
const GROUPS = [4, 2, 2, 2, 6];
const SWAPPED_GROUPS = 3;
export const ZERO_GUID = '00000000-0000-0000-0000-000000000000';

export function isGuid(text: string): boolean {
  return GUID.test(text);
}

/** The 16 bytes at `at` as text in capitals. */
export function formatGuid(bytes: Uint8Array, at = 0): string {
  let from = at;
  const groups = GROUPS.map((width, group) => {
    const part = [...bytes.subarray(from, from + width)];
    from += width;
    return (group < SWAPPED_GROUPS ? part.reverse() : part).map((b) => b.toString(16).padStart(2, '0')).join('');
  });
  return groups.join('-').toUpperCase();
}

/** The bytes of a GUID; the inverse of {@link formatGuid}. @throws RangeError when it is none */
export function parseGuid(text: string): Uint8Array {
  if (!isGuid(text)) throw new RangeError(`${text} is not a GUID`);
  const bytes = text.split('-').flatMap((hex, group) => {
    const part = hex.match(/../g)!.map((pair) => Number.parseInt(pair, 16));
    return group < SWAPPED_GROUPS ? part.reverse() : part;
  });
  return Uint8Array.from(bytes);
}

/** A GUID of version 4 made of four 32-bit numbers, so that the same numbers give the same one. */
export function guidOf(words: readonly [number, number, number, number]): string {
  const bytes = new Uint8Array(16);
  const view = new DataView(bytes.buffer);
  words.forEach((word, i) => view.setUint32(i * 4, word >>> 0, true));
  bytes[7] = (bytes[7]! & 0x0f) | 0x40;
  bytes[8] = (bytes[8]! & 0x3f) | 0x80;
  return formatGuid(bytes);
}
