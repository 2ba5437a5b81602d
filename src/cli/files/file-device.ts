/** A file as a device, for the runner. Opened for reading unless asked otherwise. */
import { BlockDevice } from '@/core/device';
import { CoreError } from '@/core/errors';
import type { ByteSource } from '@/core/image';
import { open, type FileHandle } from 'node:fs/promises';

/** Reads exactly `into.length` bytes. */
async function readFully(handle: FileHandle, offset: number, into: Uint8Array): Promise<void> {
  for (let done = 0; done < into.length;) {
    const { bytesRead } = await handle.read(into, done, into.length - done, offset + done);
    if (bytesRead === 0)
      throw new CoreError('device.read-failed', { offset: offset + done, length: into.length - done });
    done += bytesRead;
  }
}

/** A file to be read by reference. */
export class FileSource implements ByteSource {
  private constructor(
    readonly name: string,
    readonly size: number,
    private readonly handle: FileHandle,
  ) {}

  static async open(path: string): Promise<FileSource> {
    const handle = await open(path, 'r');
    return new FileSource(path, (await handle.stat()).size, handle);
  }

  read(offset: number, into: Uint8Array): Promise<void> {
    return readFully(this.handle, offset, into);
  }

  close(): Promise<void> {
    return this.handle.close();
  }
}

/** A file that is written in place. */
export class FileDevice extends BlockDevice {
  private constructor(
    readonly size: number,
    readonly sectorSize: number,
    private readonly handle: FileHandle,
  ) {
    super();
  }

  static async open(path: string, sectorSize: number): Promise<FileDevice> {
    const handle = await open(path, 'r+');
    const { size } = await handle.stat();
    return new FileDevice(Math.floor(size / sectorSize) * sectorSize, sectorSize, handle);
  }

  /** A new file of zeros that takes no room until it is written. */
  static async create(path: string, size: number, sectorSize: number): Promise<FileDevice> {
    const handle = await open(path, 'wx+');
    await handle.truncate(size);
    return new FileDevice(size, sectorSize, handle);
  }

  protected override async readAt(offset: number, into: Uint8Array): Promise<void> {
    await readFully(this.handle, offset, into);
  }

  protected override async writeAt(offset: number, from: Uint8Array): Promise<void> {
    try {
      for (let done = 0; done < from.length;) {
        const { bytesWritten } = await this.handle.write(from, done, from.length - done, offset + done);
        done += bytesWritten;
      }
    } catch (cause) {
      throw new CoreError('device.write-failed', { offset, length: from.length }, cause);
    }
  }

  override flush(): Promise<void> {
    return this.handle.datasync();
  }

  close(): Promise<void> {
    return this.handle.close();
  }
}
