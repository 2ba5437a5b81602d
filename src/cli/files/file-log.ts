/** A log file of framed records that survives being cut anywhere; the journal and the undo data are kept in one each. */
import { frameRecord, readFrames, type LogEntry } from '@/core/run';
import { open, rm, type FileHandle } from 'node:fs/promises';

export class FileLog<T> {
  #handle: FileHandle | undefined;
  #size = 0;
  #sequence = 0;

  constructor(readonly path: string) {}

  /** Opens the file, cutting off a torn tail. @throws CoreError `journal.corrupt` */
  async open(): Promise<this> {
    this.#handle = await open(this.path, 'r+').catch(() => open(this.path, 'w+'));
    const length = (await this.#handle.stat()).size;
    for await (const { end } of readFrames<T>((o, n) => this.#read(o, n), length)) {
      this.#size = end;
      this.#sequence += 1;
    }
    if (this.#size < length) await this.#handle.truncate(this.#size);
    return this;
  }

  async #read(offset: number, length: number): Promise<Uint8Array> {
    const buffer = new Uint8Array(length);
    const { bytesRead } = await this.#handle!.read(buffer, 0, length, offset);
    return buffer.subarray(0, bytesRead);
  }

  async append(record: T, body: Uint8Array = new Uint8Array()): Promise<void> {
    const frame = frameRecord(this.#sequence, record, body);
    await this.#handle!.write(frame, 0, frame.length, this.#size);
    this.#size += frame.length;
    this.#sequence += 1;
  }

  async flush(): Promise<void> {
    await this.#handle!.datasync();
  }

  entries(): AsyncGenerator<LogEntry<T>> {
    return readFrames<T>((offset, length) => this.#read(offset, length), this.#size);
  }

  async clear(): Promise<void> {
    await this.#handle!.truncate(0);
    this.#size = 0;
    this.#sequence = 0;
    await this.flush();
  }

  /** Closes and removes the file. */
  async remove(): Promise<void> {
    await this.close();
    await rm(this.path, { force: true });
  }

  async close(): Promise<void> {
    await this.#handle?.close();
    this.#handle = undefined;
  }
}
