/** Making a transaction durable, and applying it: the order of these lines is the safety of every run. */
import type { BlockDevice } from '@/core/device';
import { CoreError } from '@/core/errors';
import { HERE, type Place } from '@/core/place';
import { ownersBefore, stepTouches, stepWrites, type Plan } from '@/core/plan';
import type { JournalStore } from './journal';
import { readJournal, type RunState } from './journal-state';
import type { RunPorts } from './ports';
import type { StepTransaction } from './step-transaction';

const PART_BYTES = 4 * 1024 * 1024;

type Extent = [offset: number, length: number];

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

/**
 * Applies a committed step from the journal, as after a power cut.
 * @throws CoreError `journal.corrupt` before anything is written, when the record would write what is not the step's
 */
export async function replay(
  { disk: own, others, journal }: Pick<RunPorts, 'disk' | 'others' | 'journal'>,
  { plan, next: step }: Pick<RunState, 'plan' | 'next'>,
): Promise<void> {
  const id = stepWrites(plan.steps[step]!);
  const disk = id === HERE ? own : others?.get(id);
  if (!disk) throw new CoreError('run.source', { name: id, reason: 'it is not at hand' });
  const first = await lastAttempt(journal, step);
  const writes: { offset: number; end: number; entry: number }[] = [];
  let index = 0;
  for await (const { record } of readJournal(journal)) {
    if (index >= first && record.kind === 'redo' && record.step === step)
      for (const [offset, length] of record.extents) writes.push({ offset, end: offset + length, entry: index });
    index += 1;
  }
  assertOwn(plan, step, writes, disk.size);
  index = 0;
  for await (const { record, body } of readJournal(journal)) {
    if (index >= first && record.kind === 'redo' && record.step === step) {
      let at = 0;
      for (const [offset, length] of record.extents) {
        await disk.write(offset, body.subarray(at, at + length));
        at += length;
      }
    }
    index += 1;
  }
  await markDone(disk, journal, step);
}

/** Where in the journal the attempt at a step begins that was committed: the last one. */
async function lastAttempt(journal: JournalStore, step: number): Promise<number> {
  let first = 0;
  let index = 0;
  for await (const { record } of readJournal(journal)) {
    if (record.kind === 'redo' && record.step === step && record.part === 0) first = index;
    index += 1;
  }
  return first;
}

/** A redo record writes to its step's own volume and to what is nobody's, and nowhere else. */
function assertOwn(
  plan: Plan,
  step: number,
  writes: readonly { offset: number; end: number; entry: number }[],
  size: number,
): void {
  const touched = stepTouches(plan.steps[step]!);
  const disk = stepWrites(plan.steps[step]!);
  const others = ownersBefore(plan, step).owners.filter(
    ({ place }) => place.disk === disk && !touched.some((t) => overlap(t.start, t.start + t.length, place)),
  );
  for (const { offset, end, entry } of writes)
    if (end > size || others.some(({ place }) => overlap(offset, end, place)))
      throw new CoreError('journal.corrupt', { record: entry, reason: 'it would write what is not its step’s' });
}

const overlap = (start: number, end: number, place: Place): boolean =>
  start < place.start + place.length && place.start < end;

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
