/** The logs of runs, disk by disk, in the browser's storage. What can't be kept of one stops no run. */
import type { LogLine } from '@/core/run';
import type { Database } from './database';

/** The oldest lines of a disk go when it has more as a run begins. */
const MOST_LINES = 20_000;

export class RunLogs {
  #writing: Promise<unknown> = Promise.resolve();

  constructor(private readonly db: Database) {}

  /** Keeps a line, behind those before it. */
  add(diskId: string, line: LogLine): void {
    const begins = line.what === 'begun' || line.what === 'resumed';
    this.#writing = this.#writing
      .then(async () => {
        if (begins) await this.#dropOldest(diskId);
        await this.db.logs.add({ diskId, line });
      })
      .catch(() => undefined);
  }

  async #dropOldest(diskId: string): Promise<void> {
    const keys = await this.db.logs.where('diskId').equals(diskId).primaryKeys();
    if (keys.length > MOST_LINES) await this.db.logs.bulkDelete(keys.slice(0, keys.length - MOST_LINES));
  }

  async of(diskId: string): Promise<LogLine[]> {
    await this.#writing;
    const rows = await this.db.logs.where('diskId').equals(diskId).sortBy('seq');
    return rows.map((r) => r.line);
  }

  async forget(diskId: string): Promise<void> {
    await this.#writing;
    await this.db.logs.where('diskId').equals(diskId).delete();
  }
}
