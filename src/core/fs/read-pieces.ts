/** What lies in pieces, read as one. */
import type { BlockDevice } from '@/core/device';

/** A folder that grew with its files is in pieces of one cluster, and to wait for each takes longer than to read it. */
const AT_ONCE = 16;

/** A stretch of a device. Bytes. */
interface Piece {
  readonly offset: number;
  readonly length: number;
}

/** Reads pieces one behind the other into a fresh buffer. @throws CoreError `device.read-failed` */
export async function readPieces(device: BlockDevice, pieces: readonly Piece[]): Promise<Uint8Array> {
  const bytes = new Uint8Array(pieces.reduce((sum, { length }) => sum + length, 0));
  let at = 0;
  const reads = pieces.map(({ offset, length }) => {
    const part = bytes.subarray(at, (at += length));
    return () => device.read(offset, part);
  });
  for (let i = 0; i < reads.length; i += AT_ONCE) await Promise.all(reads.slice(i, i + AT_ONCE).map((read) => read()));
  return bytes;
}
