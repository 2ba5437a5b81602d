/** Making a transaction durable, and applying it: the order of these lines is the safety of every run. */
import type { BlockDevice } from '@/core/device';
import type { JournalStore } from './journal';
import type { StepTransaction } from './step-transaction';

const PART_BYTES = 4 * 1024 * 1024;

type Extent = readonly [offset: number, length: number];

/** Direct writes, barrier, redo record, barrier; returns when the step can no longer be lost. */
export async function commitToJournal(
  disk: BlockDevice,
  journal: JournalStore,
  step: number,
  tx: StepTransaction,
): Promise<void> {
  await disk.flush();
  let parts = 0;
  let extents: Extent[] = [];
  let body: Uint8Array[] = [];
  let size = 0;
  const close = async (): Promise<void> => {
    if (extents.length === 0) return;
    await journal.append({ kind: 'redo', step, part: parts, extents }, concat(body, size));
    parts += 1;
    [extents, body, size] = [[], [], 0];
  };
  for (const { offset, bytes } of tx.runs()) {
    extents.push([offset, bytes.length]);
    body.push(bytes);
    size += bytes.length;
    if (size >= PART_BYTES) await close();
  }
  await close();
  await journal.append({ kind: 'commit', step, parts });
  await journal.flush();
}

/** Applies the gathered writes at once, then the barrier and the mark that the step is done. */
export async function applyTransaction(
  disk: BlockDevice,
  journal: JournalStore,
  step: number,
  tx: StepTransaction,
): Promise<void> {
  for (const { offset, bytes } of tx.runs()) await disk.write(offset, bytes);
  await markDone(disk, journal, step);
}

/** Applies a committed step from the journal, as after a power cut. */
export async function replay(disk: BlockDevice, journal: JournalStore, step: number): Promise<void> {
  let attempts = await countAttempts(journal, step);
  for await (const { record, body } of journal.entries()) {
    if (record.kind !== 'redo' || record.step !== step) continue;
    if (record.part === 0) attempts -= 1;
    if (attempts > 0) continue;
    let at = 0;
    for (const [offset, length] of record.extents) {
      await disk.write(offset, body.subarray(at, at + length));
      at += length;
    }
  }
  await markDone(disk, journal, step);
}

/** How often the step's redo record was begun; only the last one was committed. */
async function countAttempts(journal: JournalStore, step: number): Promise<number> {
  let count = 0;
  for await (const { record } of journal.entries()) {
    if (record.kind === 'redo' && record.step === step && record.part === 0) count += 1;
  }
  return count;
}

async function markDone(disk: BlockDevice, journal: JournalStore, step: number): Promise<void> {
  await disk.flush();
  await journal.append({ kind: 'done', step });
  await journal.flush();
}

function concat(parts: readonly Uint8Array[], size: number): Uint8Array {
  const out = new Uint8Array(size);
  let at = 0;
  for (const part of parts) {
    out.set(part, at);
    at += part.length;
  }
  return out;
}
