import { MemoryLog } from '.';
import { logCompliance, type NoteRecord, type OpenLog } from './fixtures/log-compliance';

/** Opened again after the power was gone: what was flushed is there. */
const opened = (log: MemoryLog<NoteRecord>): OpenLog => ({ log, reopen: async () => (log.lose(0), opened(log)) });

logCompliance('a log in memory', async () => opened(new MemoryLog<NoteRecord>()));
