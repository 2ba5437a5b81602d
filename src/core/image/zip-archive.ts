/**
 * zip archives (APPNOTE 6.3): the file in one that is a disk, wherever it stands among others. Checksums and lengths are
 * compared. Which file it is, a person says where there are several.
 */
import type { BlockDevice } from '@/core/device';
import { CoreError } from '@/core/errors';
import { configure, Reader, ZipReader, ZipWriter, type FileEntry } from '@zip.js/zip.js/lib/zip-core-native.js';
import { exportRaw } from './export';
import type { ByteSource } from './image-device';
import { HEAD_BYTES, type Emit, type UnpackOptions, type Unpacker } from './unpack';

configure({ useWebWorkers: false });

/** Sizes from here on need the longer fields (APPNOTE 4.5.3). */
const LONG = 0xffffffff;
/** What a zip can say of a time (APPNOTE 4.4.6). */
const EARLIEST = Date.UTC(1980, 0, 2);
const LATEST = Date.UTC(2107, 11, 30);

/** What goes into an archive: a file, or a folder, which has no content. */
export interface ToPack {
  /** With `/` between names. */
  readonly name: string;
  readonly size: number;
  readonly modified?: Date;
  readonly content?: AsyncIterable<Uint8Array>;
}

/** A device as a zip with one file in it, in chunks. */
export async function* exportZip(device: BlockDevice, name: string): AsyncGenerator<Uint8Array> {
  yield* packZip([{ name, size: device.size, content: exportRaw(device) }]);
}

/** Files and folders as a zip, in chunks; each is read when it is its turn. */
export async function* packZip(all: AsyncIterable<ToPack> | Iterable<ToPack>): AsyncGenerator<Uint8Array> {
  const { readable, writable } = new TransformStream<Uint8Array, Uint8Array>();
  // With any level but its own the machine's compression is not used, and the library's takes three to nine times as long.
  const zip = new ZipWriter(writable, { bufferedWrite: false });
  const packAll = async (): Promise<void> => {
    for await (const { name, size, modified, content } of all) {
      const time = modified ? { lastModDate: new Date(Math.min(LATEST, Math.max(EARLIEST, modified.getTime()))) } : {};
      if (content) await zip.add(name, streamOf(content), { ...time, ...(size >= LONG ? { zip64: true } : {}) });
      else await zip.add(`${name}/`, undefined, { ...time, directory: true });
    }
    await zip.close();
  };
  const reader = readable.getReader();
  const written = packAll();
  const stop = (): Promise<void> => reader.cancel().catch(() => undefined);
  // What goes wrong there is told where the chunks are read, and nothing more comes to be read.
  written.catch(stop);
  try {
    for (let next = await reader.read(); !next.done; next = await reader.read()) yield next.value;
    await written;
  } finally {
    await stop();
  }
}

function streamOf(content: AsyncIterable<Uint8Array>): ReadableStream<Uint8Array> {
  const chunks = content[Symbol.asyncIterator]();
  return new ReadableStream<Uint8Array>({
    async pull(controller) {
      const { done, value } = await chunks.next();
      if (done) controller.close();
      else controller.enqueue(value);
    },
    async cancel() {
      await chunks.return?.();
    },
  });
}

const SECTOR = 512;
/** More files than anybody packs beside an image. */
const MOST_FILES = 10_000;
/** So many are looked into. */
const MOST_LOOKED_INTO = 200;
const ENOUGH = 'enough was seen';

class SourceReader extends Reader<ByteSource> {
  constructor(
    private readonly source: ByteSource,
    private readonly options: UnpackOptions,
  ) {
    super(source);
    this.size = source.size;
  }

  override async readUint8Array(index: number, length: number): Promise<Uint8Array<ArrayBuffer>> {
    const bytes = new Uint8Array(Math.max(0, Math.min(length, this.source.size - index)));
    await this.source.read(index, bytes);
    this.options.progress?.(index + bytes.length, this.source.size);
    return bytes;
  }
}

export const unzip: Unpacker = async (source, emit, options) => {
  const reader = new ZipReader(new SourceReader(source, options));
  try {
    const files: FileEntry[] = [];
    for await (const entry of reader.getEntriesGenerator()) {
      if (!entry.directory) files.push(entry);
      if (files.length > MOST_FILES) throw new Error(`it holds more than ${MOST_FILES} files`);
    }
    await extract(await chosen(source.name, files, options), emit, options);
  } finally {
    await reader.close().catch(() => undefined);
  }
};

async function chosen(name: string, files: readonly FileEntry[], options: UnpackOptions): Promise<FileEntry> {
  const refuse = (reason: string): CoreError => new CoreError('image.container', { name, reason });
  if (options.inside !== undefined) {
    const named = files.find((f) => f.filename === options.inside);
    if (!named) throw refuse(`there is no ${options.inside} in it`);
    if (named.encrypted) throw refuse(`${named.filename} in it is encrypted`);
    return named;
  }
  const disks: FileEntry[] = [];
  for (const file of files.slice(0, MOST_LOOKED_INTO)) if (await canBeDisk(file, options)) disks.push(file);
  if (disks.length > 1) throw new CoreError('image.several', { name, names: disks.map((d) => d.filename) });
  const [disk] = disks;
  if (disk) return disk;
  const hidden = files.find((f) => f.encrypted);
  if (hidden) throw refuse(`${hidden.filename} in it is encrypted`);
  throw refuse(files.length === 0 ? 'there is no file in it' : 'no file in it is a disk');
}

async function canBeDisk(file: FileEntry, options: UnpackOptions): Promise<boolean> {
  if (file.encrypted || file.uncompressedSize < SECTOR) return false;
  if (!options.mostBytes) return true;
  return (await options.mostBytes(await headOf(file))) !== undefined;
}

/** The beginning of a file. A damaged one has as much as could be unpacked of it. */
async function headOf(file: FileEntry): Promise<Uint8Array> {
  const head = new Uint8Array(Math.min(HEAD_BYTES, file.uncompressedSize));
  let length = 0;
  const sink = new WritableStream<Uint8Array>({
    write(chunk) {
      const part = chunk.subarray(0, head.length - length);
      head.set(part, length);
      length += part.length;
      if (length === head.length) throw new Error(ENOUGH);
    },
  });
  await file.getData(sink).catch(() => undefined);
  return head.subarray(0, length);
}

async function extract(file: FileEntry, emit: Emit, { signal }: UnpackOptions): Promise<void> {
  let length = 0;
  const sink = new WritableStream<Uint8Array>({
    async write(chunk) {
      length += chunk.length;
      await emit(chunk);
    },
  });
  await file.getData(sink, { checkSignature: true, ...(signal ? { signal } : {}) });
  if (length !== file.uncompressedSize) throw new Error(`${file.filename} in it is not as long as it says`);
}
