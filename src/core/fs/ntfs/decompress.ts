/**
 * Compressed units: chunks of up to 4 KiB, each stored as it is or as literals and back references.
 *
 * Linux-NTFS “NTFS Documentation”, chapter “Compression”. A chunk's header has its length less one in 12 bits and a
 * bit for compressed; in a group of eight a flag bit says literal or reference; a reference splits its 16 bits into
 * distance and length by how far into the chunk it stands.
 */
/** Bytes that a chunk comes to. */
export const CHUNK = 4096;

/** Decodes a unit into `size` bytes; what the unit does not fill is zeros. Undefined when it is damaged. */
export function decompressUnit(source: Uint8Array, size: number): Uint8Array | undefined {
  const out = new Uint8Array(size);
  let at = 0;
  for (let start = 0; start < size && at + 2 <= source.length; start += CHUNK) {
    const header = source[at]! | (source[at + 1]! << 8);
    if (header === 0) break;
    const end = at + 2 + (header & 0x0fff) + 1;
    if (end > source.length) return undefined;
    const chunk = source.subarray(at + 2, end);
    const target = out.subarray(start, Math.min(size, start + CHUNK));
    if ((header & 0x8000) === 0) target.set(chunk.subarray(0, target.length));
    else if (!decodeChunk(chunk, target)) return undefined;
    at = end;
  }
  return out;
}

function decodeChunk(source: Uint8Array, out: Uint8Array): boolean {
  let from = 0;
  let to = 0;
  while (from < source.length) {
    const flags = source[from++]!;
    for (let bit = 0; bit < 8 && from < source.length; bit++) {
      if ((flags & (1 << bit)) === 0) {
        if (to >= out.length) return false;
        out[to++] = source[from++]!;
        continue;
      }
      if (from + 2 > source.length) return false;
      const token = source[from]! | (source[from + 1]! << 8);
      from += 2;
      const lengthBits = LENGTH_BITS[to]!;
      const distance = (token >> lengthBits) + 1;
      const length = (token & ((1 << lengthBits) - 1)) + 3;
      if (distance > to || to + length > out.length) return false;
      // Byte by byte: a reference may reach into what it is making.
      for (let i = 0; i < length; i++, to++) out[to] = out[to - distance]!;
    }
  }
  return true;
}

/** By position in a chunk: distances take 4 bits up to position 16 and one more for each doubling behind it; lengths the rest. */
export const LENGTH_BITS = /* @__PURE__ */ Uint8Array.from({ length: CHUNK + 1 }, (_, position) => {
  let bits = 12;
  for (let i = position - 1; i >= 0x10; i >>= 1) bits -= 1;
  return bits;
});
