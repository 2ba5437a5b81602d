/** Names as they are stored, and as text. */
const MAX_NAME = 255;

/** A lone low surrogate stands for a byte that is no text. */
const ESCAPE = 0xdc00;
const STRICT = new TextDecoder('utf-8', { fatal: true, ignoreBOM: true });

/** Names as text: UTF-8, and what is none of it in a way that leads back to the same bytes. */
export function nameText(bytes: Uint8Array): string {
  const whole = decoded(bytes);
  if (whole !== undefined) return whole;
  let out = '';
  for (let at = 0; at < bytes.length;) {
    const length = [1, 2, 3, 4].find(
      (n) => at + n <= bytes.length && decoded(bytes.subarray(at, at + n)) !== undefined,
    );
    out += length === undefined ? String.fromCharCode(ESCAPE + bytes[at]!) : decoded(bytes.subarray(at, at + length))!;
    at += length ?? 1;
  }
  return out;
}

function decoded(bytes: Uint8Array): string | undefined {
  try {
    return STRICT.decode(bytes);
  } catch {
    return undefined;
  }
}

const ENCODER = new TextEncoder();

/** The bytes of a name; the inverse of {@link nameText}. */
export function nameBytes(text: string): Uint8Array {
  if (!/[\udc80-\udcff]/.test(text)) return ENCODER.encode(text);
  const out: number[] = [];
  for (const letter of text) {
    const code = letter.charCodeAt(0);
    if (letter.length === 1 && code >= ESCAPE + 0x80 && code <= ESCAPE + 0xff) out.push(code - ESCAPE);
    else out.push(...ENCODER.encode(letter));
  }
  return Uint8Array.from(out);
}

/** Why a name can't be that of an entry. */
export function extNameFault(name: string): 'letters' | 'length' | undefined {
  if (nameBytes(name).length > MAX_NAME) return 'length';
  return name === '' || name === '.' || name === '..' || /[/\0]/.test(name) ? 'letters' : undefined;
}
