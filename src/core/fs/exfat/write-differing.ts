/** Writing long structures of which little changes. */
import type { Transaction } from '../port';

const CHUNK = 1 << 20;

/**
 * Writes the sectors that differ from what is there.
 * @param compare whether what is there is of the same structure; all of it is written where it is not
 */
export async function writeDiffering(
  tx: Transaction,
  sectorSize: number,
  offset: number,
  bytes: Uint8Array,
  compare: boolean,
): Promise<void> {
  for (let at = 0; at < bytes.length; at += CHUNK) {
    const part = bytes.subarray(at, Math.min(bytes.length, at + CHUNK));
    const before = new Uint8Array(part.length);
    if (compare) await tx.read(offset + at, before);
    const differs = (s: number): boolean =>
      !compare || part.subarray(s, s + sectorSize).some((b, i) => b !== before[s + i]);
    for (let from = 0; from < part.length;) {
      let to = from;
      while (to < part.length && differs(to)) to += sectorSize;
      if (to > from) await tx.write(offset + at + from, part.subarray(from, to));
      from = to + sectorSize;
    }
  }
}
