/** The logs of runs, disk by disk, in the browser's storage. What can't be kept of one stops no run. */
import type { LogLine } from '@/core/run';
import type { Database } from './database';

/** The oldest lines of a disk go when it has more. */
const MOST_LINES = 20_000;

export class RunLogs {
  #writing: Promise<unknown> = Promise.resolve();

  constructor(private readonly db: Database) {}

  /** Keeps a line, behind those before it. */
  add(diskId: string, line: LogLine): void {
    this.#writing = this.#writing.then(() => this.db.logs.add({ diskId, line })).catch(() => undefined);
  }

  async of(diskId: string): Promise<LogLine[]> {
    await this.#writing;
    const rows = await this.db.logs.where('diskId').equals(diskId).sortBy('seq');
    const surplus = rows.slice(0, Math.max(0, rows.length - MOST_LINES));
    if (surplus.length > 0) await this.db.logs.bulkDelete(surplus.map((r) => r.seq!));
    return rows.slice(surplus.length).map((r) => r.line);
  }

  async forget(diskId: string): Promise<void> {
    await this.#writing;
    await this.db.logs.where('diskId').equals(diskId).delete();
  }
}
