/** UUIDs as the kinds store them that came from Unix: sixteen bytes in the order in which they are written. */
const UUID_GROUPS = [4, 2, 2, 2, 6];

/** A UUID as the field prints it: sixteen bytes in the order in which they stand. */
export function formatUuid(bytes: Uint8Array): string {
  let at = 0;
  return UUID_GROUPS.map((width) => {
    const part = bytes.subarray(at, at + width);
    at += width;
    return Array.from(part, (b) => b.toString(16).padStart(2, '0')).join('');
  }).join('-');
}

/** A UUID of version 4 that ends in a number, the same for the same one. */
export function uuidOf(serial: number): Uint8Array {
  const out = new Uint8Array(16);
  const view = new DataView(out.buffer);
  let state = serial >>> 0;
  for (let at = 0; at < 12; at += 4) {
    state = (Math.imul(state ^ (state >>> 15), 0x2c1b3c6d) + 0x9e3779b9) >>> 0;
    view.setUint32(at, state);
  }
  view.setUint32(12, serial >>> 0);
  out[6] = (out[6]! & 0x0f) | 0x40;
  out[8] = (out[8]! & 0x3f) | 0x80;
  return out;
}

/** Whether a text is a UUID as people write it. */
export const isUuid = (text: string): boolean => /^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/i.test(text);

/** The bytes of a UUID as people write it. */
export const parseUuid = (text: string): Uint8Array =>
  Uint8Array.from(text.replaceAll('-', '').match(/../g) ?? [], (pair) => parseInt(pair, 16));
