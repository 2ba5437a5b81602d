/** The beginning of a file in words: as text where it is text, else as rows of hexadecimal. */
const ROW = 16;

export function previewWords(bytes: Uint8Array): string {
  if (bytes.length === 0) return '(empty)';
  try {
    const text = new TextDecoder('utf-8', { fatal: true }).decode(bytes, { stream: true });
    if (!/[\u0000-\u0008\u000e-\u001f]/.test(text)) return text;
  } catch {
    // Not text: shown as what it is.
  }
  const rows: string[] = [];
  for (let at = 0; at < Math.min(bytes.length, 1024); at += ROW) {
    const row = bytes.subarray(at, at + ROW);
    const hex = Array.from(row, (b) => b.toString(16).padStart(2, '0')).join(' ');
    const shown = Array.from(row, (b) => (b >= 0x20 && b < 0x7f ? String.fromCharCode(b) : '.')).join('');
    rows.push(`${at.toString(16).padStart(8, '0')}  ${hex.padEnd(ROW * 3)} ${shown}`);
  }
  return rows.join('\n');
}
