/** Where records are kept that must survive anything: the port for a file, a browser's storage, or memory. */

/** A record as it is read back. What it says is not checked yet. */
export interface LogRecord {
  readonly record: unknown;
  readonly body: Uint8Array;
}

/** A log of records of type R, each with a body of bytes that may be empty. */
export interface LogStore<R> {
  /** Adds a record at the end; durable after {@link LogStore.flush}. Both are borrowed for the call. @throws CoreError `storage.full`, `file.full` */
  append(record: R, body?: Uint8Array): Promise<void>;
  flush(): Promise<void>;
  /**
   * The records from the first on. A torn tail is left out.
   * @throws CoreError `journal.corrupt` when a record in the middle is damaged
   */
  entries(): AsyncIterable<LogRecord>;
  clear(): Promise<void>;
}
