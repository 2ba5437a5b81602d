/**
 * Whatever file an image comes in, as the bytes of the disk in it. Compressed files are unpacked once, as a stream, into
 * chunks of which those of zeros are not kept; a qcow2 image is read where it is.
 */
import { CoreError } from '@/core/errors';
import { Gunzip } from 'fflate';
import type { ByteSource } from './image-device';
import { openQcow2 } from './qcow2';
import { unpack, type Unpacker } from './unpack';
import { unzipping } from './zip';

/** Magic numbers: gzip RFC 1952 §2.3.1, ZIP APPNOTE 4.3.7, .xz format 1.1 §2.1.1.1, qcow2 header. */
const MAGIC = {
  gzip: [0x1f, 0x8b],
  zip: [0x50, 0x4b, 0x03, 0x04],
  xz: [0xfd, 0x37, 0x7a, 0x58, 0x5a, 0x00],
  qcow2: [0x51, 0x46, 0x49, 0xfb],
} as const;

export type Container = keyof typeof MAGIC;

/** The container a file is by its first bytes, or undefined for a raw image. */
export async function containerOf(source: ByteSource): Promise<Container | undefined> {
  const head = new Uint8Array(Math.min(8, source.size));
  await source.read(0, head);
  const kinds = Object.keys(MAGIC) as Container[];
  return kinds.find((kind) => MAGIC[kind].every((byte, i) => head[i] === byte));
}

/**
 * The disk's bytes in a file of any known kind. A raw image is the file itself.
 * @throws CoreError `image.empty`, `image.container` or `image.too-large`
 */
export async function openContainer(source: ByteSource, progress?: (done: number) => void): Promise<ByteSource> {
  if (source.size === 0) throw new CoreError('image.empty', { name: source.name });
  const container = await containerOf(source);
  if (!container) return source;
  if (container === 'qcow2') return openQcow2(source);
  const unpackers: Readonly<Record<Exclude<Container, 'qcow2'>, Unpacker>> = { gzip: gunzipping, zip: unzipping, xz };
  return unpack(source, unpackers[container], progress);
}

function gunzipping(emit: (bytes: Uint8Array) => void): (chunk: Uint8Array, last: boolean) => void {
  const stream = new Gunzip((bytes) => emit(bytes));
  return (chunk, last) => stream.push(chunk, last);
}

/** The decoder is a module of its own kind, and large; it is loaded when it is needed. */
async function xz(emit: (bytes: Uint8Array) => void): Promise<(chunk: Uint8Array, last: boolean) => Promise<void>> {
  const { XzReadableStream } = await import('xz-decompress');
  const parts: Uint8Array[] = [];
  let ended = false;
  let wake = (): void => undefined;
  const input = new ReadableStream<Uint8Array>({
    async pull(controller) {
      while (parts.length === 0 && !ended) await new Promise<void>((resolve) => (wake = resolve));
      const part = parts.shift();
      if (part) controller.enqueue(part);
      else controller.close();
    },
  });
  const reader = (new XzReadableStream(input) as ReadableStream<Uint8Array>).getReader();
  const reading = (async () => {
    for (let next = await reader.read(); !next.done; next = await reader.read()) emit(next.value);
  })();
  reading.catch(() => undefined);
  return async (chunk, last) => {
    if (chunk.length > 0) parts.push(chunk.slice());
    ended = last;
    wake();
    if (last) await reading;
    else if (parts.length > 4) await Promise.race([reading, new Promise((resolve) => setTimeout(resolve, 0))]);
  };
}
