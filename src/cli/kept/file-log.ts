/** A log file of framed records that survives being cut anywhere; the journal and the way back are kept in one each. */
import { frameRecord, readFrames, type LogRecord, type LogStore } from '@/core/run';
import { dirname } from 'node:path';
import { readWhole, writeWhole, type Files, type OpenFile } from '../files';

export class FileLog<T> implements LogStore<T> {
  #size = 0;
  #sequence = 0;
  /** Set while the file may have bytes behind the last whole record. */
  #torn = false;

  private constructor(
    private readonly files: Files,
    private readonly file: OpenFile,
    readonly path: string,
  ) {}

  /** A new log, where nothing is. @throws CoreError `file.exists` */
  static async create<T>(files: Files, path: string): Promise<FileLog<T>> {
    const log = new FileLog<T>(files, await files.open(path, 'create'), path);
    await files.syncFolder(dirname(path));
    return log;
  }

  /** A log that is there, or undefined. It is only read until something is added. @throws CoreError `journal.corrupt` */
  static async open<T>(files: Files, path: string): Promise<FileLog<T> | undefined> {
    if (!(await files.facts(path))) return undefined;
    const log = new FileLog<T>(files, await files.open(path, 'change'), path);
    try {
      const { size } = await log.file.facts();
      for await (const { end } of readFrames<T>((offset, length) => log.#read(offset, length), size)) {
        log.#size = end;
        log.#sequence += 1;
      }
      log.#torn = log.#size < size;
      return log;
    } catch (error) {
      await log.close();
      throw error;
    }
  }

  /** Whether it holds no whole record. */
  get empty(): boolean {
    return this.#sequence === 0;
  }

  async #read(offset: number, length: number): Promise<Uint8Array> {
    const buffer = new Uint8Array(length);
    return buffer.subarray(0, await readWhole(this.file, offset, buffer));
  }

  async append(record: T, body: Uint8Array = new Uint8Array()): Promise<void> {
    const frame = frameRecord(this.#sequence, record, body);
    // What is left of a record that was not written whole could be taken for the end of a shorter one.
    if (this.#torn) await this.file.truncate(this.#size);
    this.#torn = true;
    await writeWhole(this.file, this.#size, frame);
    this.#torn = false;
    this.#size += frame.length;
    this.#sequence += 1;
  }

  flush(): Promise<void> {
    return this.file.sync();
  }

  async *entries(): AsyncGenerator<LogRecord> {
    yield* readFrames<unknown>((offset, length) => this.#read(offset, length), this.#size);
  }

  async clear(): Promise<void> {
    await this.file.truncate(0);
    this.#size = 0;
    this.#sequence = 0;
    await this.flush();
  }

  /** Closes and removes the file. */
  async remove(): Promise<void> {
    await this.close();
    await this.files.remove(this.path);
    await this.files.syncFolder(dirname(this.path));
  }

  close(): Promise<void> {
    return this.file.close();
  }
}
