/** Which blocks of a device hold anything but zeros. */
import { isZeros } from '@/core/bytes';
import type { BlockDevice } from '@/core/device';
import { exportOccupied } from './export';

/** Numbers of blocks of `blockSize` bytes, in order. */
export async function storedBlocks(device: BlockDevice, blockSize: number): Promise<number[]> {
  const out: number[] = [];
  for await (const { offset, bytes } of exportOccupied(device)) {
    for (let at = 0; at < bytes.length;) {
      const block = Math.floor((offset + at) / blockSize);
      const end = Math.min(bytes.length, (block + 1) * blockSize - offset);
      if (out.at(-1) !== block && !isZeros(bytes.subarray(at, end))) out.push(block);
      at = end;
    }
  }
  return out;
}
