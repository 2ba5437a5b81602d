import 'fake-indexeddb/auto';
import { logCompliance, type NoteRecord, type OpenLog } from '@/core/run/fixtures/log-compliance';
import type { LogStore } from '@/core/run';
import { Database } from './database';
import { DexieJournal } from './stores';

const db = new Database();
let count = 0;

/** The store takes any record; what a journal's records say is checked where they are read. */
const opened = (id: string): OpenLog => ({
  log: new DexieJournal(db, id) as unknown as LogStore<NoteRecord>,
  reopen: async () => opened(id),
});

logCompliance('a log in the browser', async () => {
  // Others beside it are none of its business.
  await db.journal.add({ diskId: `beside-${++count}`, record: { kind: 'rewinding' }, body: Uint8Array.of(1) } as never);
  return opened(`log-${count}`);
});
