/** A file as a source of bytes, and as a device that is written in place. */
import { BlockDevice } from '@/core/device';
import { CoreError } from '@/core/errors';
import type { ByteSource } from '@/core/image';
import type { FileFacts, Files, OpenFile } from './files';
import { readWhole, writeWhole } from './whole';

/** Reads all that was asked for. @throws CoreError `device.read-failed` */
export async function readExactly(file: OpenFile, offset: number, into: Uint8Array): Promise<void> {
  let done: number;
  try {
    done = await readWhole(file, offset, into);
  } catch (cause) {
    throw new CoreError('device.read-failed', { offset, length: into.length }, cause);
  }
  if (done < into.length)
    throw new CoreError('device.read-failed', { offset: offset + done, length: into.length - done });
}

/** Files and block devices can be images here. @throws CoreError `file.failed` */
async function imageFacts(file: OpenFile): Promise<FileFacts> {
  const facts = await file.facts();
  const { kind } = facts;
  if (kind === 'file' || kind === 'device') return facts;
  const reason = kind === 'folder' ? 'it is a folder' : 'it is no file and no block device';
  await file.close();
  throw new CoreError('file.failed', { name: file.path, act: 'opened as an image', reason });
}

/** A file to be read by reference. */
export class FileSource implements ByteSource {
  private constructor(
    readonly name: string,
    readonly size: number,
    private readonly file: OpenFile,
    /** Bytes a sector, where the system knows it of a device. */
    readonly sectorSize: number | undefined,
  ) {}

  static async open(files: Files, path: string): Promise<FileSource> {
    const file = await files.open(path, 'read');
    const { size, device } = await imageFacts(file);
    return new FileSource(path, size, file, device?.sectorSize);
  }

  read(offset: number, into: Uint8Array): Promise<void> {
    return readExactly(this.file, offset, into);
  }

  close(): Promise<void> {
    return this.file.close();
  }
}

/** A file that is written in place. */
export class FileDevice extends BlockDevice {
  private constructor(
    readonly size: number,
    readonly sectorSize: number,
    private readonly file: OpenFile,
  ) {
    super();
  }

  static async open(files: Files, path: string, sectorSize: number): Promise<FileDevice> {
    const file = await files.open(path, 'change');
    const { size } = await imageFacts(file);
    return new FileDevice(Math.floor(size / sectorSize) * sectorSize, sectorSize, file);
  }

  /** A new file of zeros that takes no room until it is written. */
  static async create(files: Files, path: string, size: number, sectorSize: number): Promise<FileDevice> {
    const file = await files.open(path, 'create');
    await file.truncate(size);
    return new FileDevice(size, sectorSize, file);
  }

  protected override readAt(offset: number, into: Uint8Array): Promise<void> {
    return readExactly(this.file, offset, into);
  }

  protected override async writeAt(offset: number, from: Uint8Array): Promise<void> {
    await writeWhole(this.file, offset, from);
  }

  override flush(): Promise<void> {
    return this.file.sync();
  }

  close(): Promise<void> {
    return this.file.close();
  }
}
