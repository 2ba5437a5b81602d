/** Whether two byte runs are equal. */
export function sameBytes(a: Uint8Array, b: Uint8Array): boolean {
  if (a.length !== b.length) return false;
  let from = 0;
  if (a.length >= 64 && a.byteOffset % 4 === 0 && b.byteOffset % 4 === 0) {
    const count = a.length >>> 2;
    // Signed words stay machine integers when they are compared.
    const [x, y] = [new Int32Array(a.buffer, a.byteOffset, count), new Int32Array(b.buffer, b.byteOffset, count)];
    let i = 0;
    for (const most = count - 4; i <= most; i += 4)
      if (((x[i]! ^ y[i]!) | (x[i + 1]! ^ y[i + 1]!) | (x[i + 2]! ^ y[i + 2]!) | (x[i + 3]! ^ y[i + 3]!)) !== 0)
        return false;
    for (; i < count; i++) if (x[i] !== y[i]) return false;
    from = count * 4;
  }
  for (let i = from; i < a.length; i++) if (a[i] !== b[i]) return false;
  return true;
}

/** Lower-case hexadecimal of `bytes`, two digits each. */
export function toHex(bytes: Uint8Array): string {
  let out = '';
  for (const b of bytes) out += b.toString(16).padStart(2, '0');
  return out;
}

/** Whether all bytes are zeros. Looked at four at a time: a disk is mostly zeros, and all of it is gone over. */
export function isZeros(bytes: Uint8Array): boolean {
  const lead = (4 - (bytes.byteOffset % 4)) % 4;
  if (bytes.length < lead + 4) return bytes.every((b) => b === 0);
  const words = new Int32Array(bytes.buffer, bytes.byteOffset + lead, (bytes.length - lead) >> 2);
  for (let i = 0; i < lead; i++) if (bytes[i] !== 0) return false;
  for (let i = 0; i < words.length; i++) if (words[i] !== 0) return false;
  for (let i = lead + words.length * 4; i < bytes.length; i++) if (bytes[i] !== 0) return false;
  return true;
}
