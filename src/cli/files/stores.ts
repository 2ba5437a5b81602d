/** The journal and the undo data of a run as files beside the image. */
import type { JournalRecord, JournalStore, UndoStore } from '@/core/run';
import { FileLog } from './file-log';

/** A log of journal records is a journal store as it is. */
export async function openJournal(image: string): Promise<FileLog<JournalRecord> & JournalStore> {
  return new FileLog<JournalRecord>(`${image}.ullager-journal`).open();
}

/** Undo data: the header says where, the body what. */
export class FileUndo implements UndoStore {
  private constructor(private readonly log: FileLog<{ offset: number }>) {}

  static async open(image: string): Promise<FileUndo> {
    return new FileUndo(await new FileLog<{ offset: number }>(`${image}.ullager-undo`).open());
  }

  append(offset: number, bytes: Uint8Array): Promise<void> {
    return this.log.append({ offset }, bytes);
  }

  flush(): Promise<void> {
    return this.log.flush();
  }

  async *entries(): AsyncGenerator<{ offset: number; bytes: Uint8Array }> {
    for await (const { record, body } of this.log.entries()) yield { offset: record.offset, bytes: body };
  }

  clear(): Promise<void> {
    return this.log.clear();
  }

  remove(): Promise<void> {
    return this.log.remove();
  }

  close(): Promise<void> {
    return this.log.close();
  }
}
