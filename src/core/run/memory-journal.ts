/** A journal in memory. What was not flushed is lost by {@link MemoryJournal.lose}, as a power cut would. */
import type { JournalEntry, JournalRecord, JournalStore } from './journal';

export class MemoryJournal implements JournalStore {
  #entries: JournalEntry[] = [];
  #durable = 0;

  async append(record: JournalRecord, body: Uint8Array = new Uint8Array()): Promise<void> {
    this.#entries.push({ record: structuredClone(record), body: body.slice() });
  }

  async flush(): Promise<void> {
    this.#durable = this.#entries.length;
  }

  async *entries(): AsyncGenerator<JournalEntry> {
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
