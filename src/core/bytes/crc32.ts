/** Checksums by table: CRC-32, CRC-32C and CRC-16. */
function tableOf(polynomial: number): Uint32Array {
  const table = new Uint32Array(256);
  for (let n = 0; n < 256; n++) {
    let c = n;
    for (let k = 0; k < 8; k++) c = c & 1 ? polynomial ^ (c >>> 1) : c >>> 1;
    table[n] = c;
  }
  return table;
}

const CRC32 = /* @__PURE__ */ tableOf(0xedb88320);
const CRC32C = /* @__PURE__ */ tableOf(0x82f63b78);
const CRC16 = /* @__PURE__ */ tableOf(0xa001);

/**
 * The CRC-32 of `bytes` with the reflected polynomial 0xEDB88320 (ISO 3309, also UEFI 2.10 §5.3.2 and RFC 1952 §8),
 * continuing from `previous` (0 to begin), as an unsigned 32-bit number.
 */
export function crc32(bytes: Uint8Array, previous = 0): number {
  let c = ~previous;
  for (let i = 0; i < bytes.length; i++) c = CRC32[(c ^ bytes[i]!) & 0xff]! ^ (c >>> 8);
  return ~c >>> 0;
}

/** The register of a CRC-32C (RFC 3720 §12.1) after `bytes`, continuing from `previous`; not complemented in the end. */
export function crc32c(bytes: Uint8Array, previous = 0xffffffff): number {
  let c = previous;
  for (let i = 0; i < bytes.length; i++) c = CRC32C[(c ^ bytes[i]!) & 0xff]! ^ (c >>> 8);
  return c >>> 0;
}

/** The register of a CRC-16 with the reflected polynomial 0xA001 after `bytes`, continuing from `previous`. */
export function crc16(bytes: Uint8Array, previous = 0xffff): number {
  let c = previous;
  for (let i = 0; i < bytes.length; i++) c = CRC16[(c ^ bytes[i]!) & 0xff]! ^ (c >>> 8);
  return c & 0xffff;
}
