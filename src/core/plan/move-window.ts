/**
 * How much of a volume is moved at once. A piece is never longer than the way it goes, so that it lands only on bytes
 * that were carried on before it, or were free.
 */
const MOST_BYTES = 128 * 1024 * 1024;

/** Bytes of a piece on the way from one place to another. */
export function windowOf(from: number, to: number): number {
  return Math.min(Math.abs(to - from), MOST_BYTES);
}

/**
 * The pieces of a volume of `length` bytes in the order in which they are moved, as [start, end) from its beginning:
 * from the front when it goes towards the start of the disk, else from the back.
 */
export function* windowsOf(from: number, to: number, length: number): Generator<{ start: number; end: number }> {
  const size = windowOf(from, to);
  const count = Math.ceil(length / size);
  for (let i = 0; i < count; i++) {
    if (to < from) yield { start: i * size, end: Math.min(length, (i + 1) * size) };
    else yield { start: Math.max(0, length - (i + 1) * size), end: length - i * size };
  }
}
