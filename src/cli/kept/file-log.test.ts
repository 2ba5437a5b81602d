import { logCompliance, type NoteRecord, type OpenLog } from '@/core/run/fixtures/log-compliance';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll } from 'vitest';
import { systemFiles } from '../files';
import { FileLog } from '.';

const box = mkdtempSync(join(tmpdir(), 'ullager-log-'));
afterAll(() => rmSync(box, { recursive: true, force: true }));
let count = 0;

function opened(log: FileLog<NoteRecord>): OpenLog {
  const reopen = async (): Promise<OpenLog> => {
    await log.close();
    return opened((await FileLog.open<NoteRecord>(systemFiles, log.path))!);
  };
  return { log, reopen };
}

logCompliance('a log in a file', async () =>
  opened(await FileLog.create<NoteRecord>(systemFiles, join(box, `log-${++count}`))),
);
