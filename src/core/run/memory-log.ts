/** A log in memory. What was not flushed is lost by {@link MemoryLog.lose}, as a power cut would. */
import type { JournalRecord } from './journal';
import type { LogStore } from './log-store';

export class MemoryLog<R> implements LogStore<R> {
  #entries: { record: R; body: Uint8Array }[] = [];
  #durable = 0;

  async append(record: R, body: Uint8Array = new Uint8Array()): Promise<void> {
    this.#entries.push({ record: structuredClone(record), body: body.slice() });
  }

  async flush(): Promise<void> {
    this.#durable = this.#entries.length;
  }

  async *entries(): AsyncGenerator<{ record: R; body: Uint8Array }> {
    yield* [...this.#entries];
  }

  async clear(): Promise<void> {
    this.#entries = [];
    this.#durable = 0;
  }

  /** Keeps what was flushed and, of the rest, the first `more` records. */
  lose(more: number): void {
    this.#entries = this.#entries.slice(0, this.#durable + more);
    this.#durable = this.#entries.length;
  }
}

export class MemoryJournal extends MemoryLog<JournalRecord> {}
