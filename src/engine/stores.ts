/** Overlays and journals of one disk in the browser's storage. Every commit is one durable transaction. */
import type { Extent, ExtentEdit, OverlayChange, OverlayStore } from '@/core/device';
import { CoreError } from '@/core/errors';
import type { JournalRecord, JournalStore, LogRecord } from '@/core/run';
import Dexie from 'dexie';
import type { Database } from './database';

/** Whether an error says that there is no room left. */
export function isQuota(error: unknown): boolean {
  const name = error instanceof Error || error instanceof DOMException ? error.name : '';
  const inner = (error as { inner?: { name?: string } } | undefined)?.inner?.name;
  return name === 'QuotaExceededError' || inner === 'QuotaExceededError';
}

/** Storage that is full is a refusal with a code; anything else stays what it is. */
export async function guardQuota<T>(wanted: number, act: () => PromiseLike<T>): Promise<T> {
  try {
    return await act();
  } catch (error) {
    if (isQuota(error)) throw new CoreError('storage.full', { wanted }, error);
    throw error;
  }
}

/** Parts a disk's id from what tells a layer of it; no id has it. */
const BETWEEN = '\u0001';

/** The keys under which layers of disks are stored; the lowest one of a disk has the disk's id, unless it was merged. */
export const layerKeys = {
  fresh: (diskId: string): string => `${diskId}${BETWEEN}${crypto.randomUUID()}`,
  diskOf: (key: string): string => key.split(BETWEEN)[0]!,
};

/** Keys under which something is stored of a disk's layers beside those that are known. */
export async function keysBeside(db: Database, diskId: string, known: ReadonlySet<string>): Promise<string[]> {
  const prefix = `${diskId}${BETWEEN}`;
  const keys = await Promise.all(
    [db.overlayPages, db.overlayEdits].map((table) => table.where('diskId').startsWith(prefix).uniqueKeys()),
  );
  return [...new Set(keys.flat().map(String))].filter((key) => !known.has(key));
}

/** Takes away what is stored of a layer. */
export async function clearLayer(db: Database, key: string): Promise<void> {
  await db.overlayPages.where('[diskId+index]').between([key, Dexie.minKey], [key, Dexie.maxKey]).delete();
  await db.overlayEdits.where('diskId').equals(key).delete();
}

/** Takes away all that is kept of the changes to a disk and of the runs on it, at once or not at all. */
export async function clearStored(db: Database, diskId: string): Promise<void> {
  await db.transaction('rw', [db.overlayPages, db.overlayEdits, db.journal, db.layers], async () => {
    for (const key of [diskId, ...(await keysBeside(db, diskId, new Set()))]) await clearLayer(db, key);
    await db.layers.where('[diskId+layer]').between([diskId, Dexie.minKey], [diskId, Dexie.maxKey]).delete();
    await db.journal.where('diskId').equals(diskId).delete();
  });
}

export class DexieOverlayStore implements OverlayStore {
  constructor(
    private readonly db: Database,
    private readonly diskId: string,
  ) {}

  async edits(): Promise<ExtentEdit[]> {
    const rows = await this.db.overlayEdits.where('diskId').equals(this.diskId).sortBy('seq');
    return rows.flatMap((row) => row.edits);
  }

  async page(index: number): Promise<Uint8Array | undefined> {
    return (await this.db.overlayPages.get([this.diskId, index]))?.bytes;
  }

  async commit({ pages, edits }: OverlayChange): Promise<void> {
    const { db, diskId } = this;
    const wanted = pages.reduce((sum, [, bytes]) => sum + bytes.length, 0);
    await guardQuota(wanted, () =>
      db.transaction('rw', [db.overlayPages, db.overlayEdits], async () => {
        await db.overlayPages.bulkPut(pages.map(([index, bytes]) => ({ diskId, index, bytes })));
        if (edits.length > 0) await db.overlayEdits.add({ diskId, edits: [...edits] });
      }),
    );
  }

  async compact(extents: readonly Extent[]): Promise<void> {
    const { db, diskId } = this;
    await guardQuota(0, () =>
      db.transaction('rw', [db.overlayEdits], async () => {
        await db.overlayEdits.where('diskId').equals(diskId).delete();
        await db.overlayEdits.add({ diskId, edits: [...extents] });
      }),
    );
  }

  async clear(): Promise<void> {
    const { db, diskId } = this;
    await db.transaction('rw', [db.overlayPages, db.overlayEdits], () => clearLayer(db, diskId));
  }
}

/** Records gather until a flush writes them in order in one transaction. */
export class DexieJournal implements JournalStore {
  #pending: { record: JournalRecord; body: Uint8Array }[] = [];
  #bytes = 0;

  constructor(
    private readonly db: Database,
    private readonly diskId: string,
  ) {}

  async append(record: JournalRecord, body: Uint8Array = new Uint8Array()): Promise<void> {
    this.#pending.push({ record: structuredClone(record), body: body.slice() });
    this.#bytes += body.length;
    if (this.#bytes > 32 * 1024 * 1024) await this.flush();
  }

  async flush(): Promise<void> {
    if (this.#pending.length === 0) return;
    const { db, diskId } = this;
    const rows = this.#pending.map((entry) => ({ diskId, ...entry }));
    await guardQuota(this.#bytes, () => db.transaction('rw', [db.journal], () => db.journal.bulkAdd(rows)));
    this.#pending = [];
    this.#bytes = 0;
  }

  async *entries(): AsyncGenerator<LogRecord> {
    const { db, diskId } = this;
    for (const seq of await db.journal.where('diskId').equals(diskId).primaryKeys()) {
      const row = await db.journal.get(seq);
      if (row) yield { record: row.record, body: row.body };
    }
    yield* [...this.#pending];
  }

  async clear(): Promise<void> {
    this.#pending = [];
    this.#bytes = 0;
    await this.db.journal.where('diskId').equals(this.diskId).delete();
  }
}
