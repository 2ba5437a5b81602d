/** A device streamed out as a raw image. */
import { readPieces, type BlockDevice, type Piece } from '@/core/device';
import { Gzip } from 'fflate';

const EXPORT_CHUNK_BYTES = 4 * 1024 * 1024;

/** The device's bytes in order, in chunks. Each chunk is a fresh buffer that the consumer owns. */
export async function* exportRaw(device: BlockDevice, chunkBytes = EXPORT_CHUNK_BYTES): AsyncGenerator<Uint8Array> {
  for (let offset = 0; offset < device.size; offset += chunkBytes) {
    yield await device.bytes(offset, Math.min(chunkBytes, device.size - offset));
  }
}

/** The stretches of a device that may hold anything but zeros, with their bytes, which are borrowed until the next. */
export const exportOccupied = (device: BlockDevice): AsyncGenerator<Piece> => readPieces(device, device.occupied());

const PACK_CHUNK_BYTES = 1024 * 1024;

/** The device's bytes as a gzip file, in chunks; long stretches of zeros come to almost nothing. */
export async function* exportGzip(device: BlockDevice): AsyncGenerator<Uint8Array> {
  const parts: Uint8Array[] = [];
  const gzip = new Gzip({ level: 4 }, (bytes) => void parts.push(bytes));
  for (let offset = 0; offset < device.size; offset += PACK_CHUNK_BYTES) {
    const length = Math.min(PACK_CHUNK_BYTES, device.size - offset);
    gzip.push(await device.bytes(offset, length), offset + length === device.size);
    yield* parts.splice(0);
  }
}
