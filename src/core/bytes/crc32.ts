/** CRC-32 with the reflected polynomial 0xEDB88320 (ISO 3309, also UEFI 2.10 §5.3.2 and RFC 1952 §8). */
const TABLE = /* @__PURE__ */ (() => {
  const table = new Uint32Array(256);
  for (let n = 0; n < 256; n++) {
    let c = n;
    for (let k = 0; k < 8; k++) c = c & 1 ? 0xedb88320 ^ (c >>> 1) : c >>> 1;
    table[n] = c;
  }
  return table;
})();

/** The CRC-32 of `bytes`, continuing from `previous` (0 to begin), as an unsigned 32-bit number. */
export function crc32(bytes: Uint8Array, previous = 0): number {
  let c = ~previous;
  for (let i = 0; i < bytes.length; i++) c = TABLE[(c ^ bytes[i]!) & 0xff]! ^ (c >>> 8);
  return ~c >>> 0;
}
