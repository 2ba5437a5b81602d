/** Whether every byte of `bytes` is zero. Reads 8 bytes at a time where the buffer is aligned for it. */
export function isZero(bytes: Uint8Array): boolean {
  const head = Math.min(bytes.length, (8 - (bytes.byteOffset & 7)) & 7);
  for (let i = 0; i < head; i++) if (bytes[i] !== 0) return false;
  const words = (bytes.length - head) >>> 3;
  const wide = new Float64Array(bytes.buffer, bytes.byteOffset + head, words);
  const exact = new Int32Array(bytes.buffer, bytes.byteOffset + head, words * 2);
  // A Float64 compare treats -0 as 0, so a word that looks zero is confirmed by its two halves.
  for (let i = 0; i < words; i++) {
    if (wide[i] !== 0 || exact[2 * i] !== 0 || exact[2 * i + 1] !== 0) return false;
  }
  for (let i = head + words * 8; i < bytes.length; i++) if (bytes[i] !== 0) return false;
  return true;
}

/** Whether two byte runs are equal. */
export function sameBytes(a: Uint8Array, b: Uint8Array): boolean {
  if (a.length !== b.length) return false;
  for (let i = 0; i < a.length; i++) if (a[i] !== b[i]) return false;
  return true;
}

/** Lower-case hexadecimal of `bytes`, two digits each. */
export function toHex(bytes: Uint8Array): string {
  let out = '';
  for (const b of bytes) out += b.toString(16).padStart(2, '0');
  return out;
}
