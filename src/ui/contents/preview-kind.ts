/** The beginning of a file: whether it is a picture, its text, or its bytes as rows of hexadecimal. */
const ROW = 16;
const MOST_ROWS = 512;

/** How pictures that a browser shows begin. */
const PICTURES: readonly { readonly type: string; readonly at: number; readonly magic: readonly number[] }[] = [
  { type: 'image/png', at: 0, magic: [0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a] },
  { type: 'image/jpeg', at: 0, magic: [0xff, 0xd8, 0xff] },
  { type: 'image/gif', at: 0, magic: [0x47, 0x49, 0x46, 0x38] },
  { type: 'image/webp', at: 8, magic: [0x57, 0x45, 0x42, 0x50] },
  { type: 'image/bmp', at: 0, magic: [0x42, 0x4d] },
];

/** The type of a picture by how it begins; undefined for anything else. */
export const pictureType = (bytes: Uint8Array): string | undefined =>
  PICTURES.find(({ at, magic }) => magic.every((b, i) => bytes[at + i] === b))?.type;

/** The text, where it is text as far as it goes; a letter that is cut at the end is left out. */
export function textOf(bytes: Uint8Array): string | undefined {
  try {
    const text = new TextDecoder('utf-8', { fatal: true }).decode(bytes, { stream: true });
    return /[\u0000-\u0008\u000e-\u001f]/.test(text) ? undefined : text;
  } catch {
    return undefined;
  }
}

/** Rows of offset, hexadecimal and letters. */
export function bytesRows(bytes: Uint8Array): string {
  const rows: string[] = [];
  for (let at = 0; at < Math.min(bytes.length, MOST_ROWS * ROW); at += ROW) {
    const row = bytes.subarray(at, at + ROW);
    const hex = Array.from(row, (b) => b.toString(16).padStart(2, '0')).join(' ');
    const shown = Array.from(row, (b) => (b >= 0x20 && b < 0x7f ? String.fromCharCode(b) : '.')).join('');
    rows.push(`${at.toString(16).padStart(8, '0')}  ${hex.padEnd(ROW * 3)} ${shown}`);
  }
  return rows.join('\n');
}
