/** A device streamed out as a raw image. */
import type { BlockDevice } from '@/core/device';

const EXPORT_CHUNK_BYTES = 4 * 1024 * 1024;

/** The device's bytes in order, in chunks. Each chunk is a fresh buffer that the consumer owns. */
export async function* exportRaw(device: BlockDevice, chunkBytes = EXPORT_CHUNK_BYTES): AsyncGenerator<Uint8Array> {
  for (let offset = 0; offset < device.size; offset += chunkBytes) {
    yield await device.bytes(offset, Math.min(chunkBytes, device.size - offset));
  }
}

/** The stretches of a device that may hold anything but zeros, with their bytes, in chunks that the consumer owns. */
export async function* exportOccupied(
  device: BlockDevice,
  chunkBytes = EXPORT_CHUNK_BYTES,
): AsyncGenerator<{ offset: number; bytes: Uint8Array }> {
  for (const { start, end } of device.occupied()) {
    for (let offset = start; offset < end; offset += chunkBytes) {
      yield { offset, bytes: await device.bytes(offset, Math.min(chunkBytes, end - offset)) };
    }
  }
}
