/**
 * The case table of a new volume: for each of 65 536 UTF-16 units its capital. Units whose capital does not come back
 * to them (ı, ſ, µ) stay as they are, since names that differ in them must not be the same.
 */
export function buildUpcase(): Uint16Array {
  return (built ??= build()).slice();
}

let built: Uint16Array | undefined;

function build(): Uint16Array {
  const table = new Uint16Array(65_536);
  for (let unit = 0; unit < table.length; unit++) {
    const lower = String.fromCharCode(unit);
    const upper = lower.toUpperCase();
    const plain = unit < 0xd800 || unit > 0xdfff;
    table[unit] = plain && upper.length === 1 && upper.toLowerCase() === lower ? upper.charCodeAt(0) : unit;
  }
  return table;
}
