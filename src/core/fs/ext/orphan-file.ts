/** The file that lists inodes to be taken away: each of its blocks has a checksum that depends on where it stands. */
import { crc32c } from '@/core/bytes';
import type { Transaction } from '../port';
import type { Extent } from './block-map';
import { viewOf } from './inode';
import type { Geometry } from './superblock';

const TAIL_BYTES = 8;

/** Puts the checksums of all its blocks in their places, once they are where they stay. */
export async function sealOrphans(
  tx: Transaction,
  g: Geometry,
  seed: number,
  extents: readonly Extent[],
): Promise<void> {
  if (!g.checksums) return;
  for (const { block, length } of extents)
    for (let b = block; b < block + length; b++) {
      const bytes = new Uint8Array(g.blockSize);
      await tx.read(b * g.blockSize, bytes);
      const own = new Uint8Array(8);
      viewOf(own).setUint32(0, b % 2 ** 32, true);
      viewOf(own).setUint32(4, Math.floor(b / 2 ** 32), true);
      const sum = crc32c(bytes.subarray(0, g.blockSize - TAIL_BYTES), crc32c(own, seed));
      viewOf(bytes).setUint32(g.blockSize - 4, sum, true);
      await tx.write(b * g.blockSize, bytes);
    }
}
