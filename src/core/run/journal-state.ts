/** Where a journal says its run is. Every record is checked before anything follows from it. */
import { CoreError } from '@/core/errors';
import { provePlan, type Plan, type Step } from '@/core/plan';
import type { Certificate } from '@/core/proof';
import { journalRecordSchema, JOURNAL_VERSION, type JournalRecord } from './journal';
import type { LogRecord, LogStore } from './log-store';
import type { DiskSamples, OtherSamples } from './samples';

/** The state of a run, read from its journal. */
export interface RunState {
  /** Which run it is; no two have the same. */
  readonly run: string;
  readonly plan: Plan;
  readonly disk: DiskSamples;
  /** Samples of the disks that are copied from. */
  readonly others: readonly OtherSamples[];
  readonly started: string;
  readonly override: boolean;
  /** Whether a way back is kept beside the disk. */
  readonly undo: boolean;
  /** What the copy that is worked on is known by, where it is not the disk itself. */
  readonly copy: string | undefined;
  /** The step to go on with. */
  readonly next: number;
  /** Set when that step is in the journal as a whole and only has to be applied. */
  readonly committed: boolean;
  /** Pieces of that step that were carried, once its list is in the journal. */
  readonly pieces: number | undefined;
  readonly certificate: Certificate | undefined;
  /** Set when it is being put back as it was. */
  readonly rewinding: boolean;
}

/** Whether a run may have written anything to a disk. */
export const hasWritten = ({ next, committed, pieces }: RunState): boolean =>
  next > 0 || committed || pieces !== undefined;

/** A record that has been checked, with its body. */
export interface JournalEntry {
  readonly record: JournalRecord;
  readonly body: Uint8Array;
}

const corrupt = (record: number, reason: string, cause?: unknown): CoreError =>
  new CoreError('journal.corrupt', { record, reason }, cause);

/** The records of a journal, each of a known shape. @throws CoreError `journal.corrupt`, `journal.version` */
export async function* readJournal(journal: Pick<LogStore<JournalRecord>, 'entries'>): AsyncGenerator<JournalEntry> {
  let index = 0;
  for await (const entry of journal.entries()) {
    yield { record: checked(entry, index), body: entry.body };
    index += 1;
  }
}

function checked({ record, body }: LogRecord, index: number): JournalRecord {
  const version = (record as { version?: unknown } | null)?.version;
  if (index === 0 && typeof version === 'number' && version !== JOURNAL_VERSION)
    throw new CoreError('journal.version', { version });
  const parsed = journalRecordSchema.safeParse(record);
  if (!parsed.success) {
    const [issue] = parsed.error.issues;
    throw corrupt(index, `it is no record of a run (${issue?.path.join('.') || 'the whole'})`, parsed.error);
  }
  const { data } = parsed;
  if (data.kind === 'redo' && data.extents.reduce((sum, [, length]) => sum + length, 0) !== body.length)
    throw corrupt(index, 'it holds more or fewer bytes than it says');
  return data;
}

/**
 * Reads a journal; undefined when it is new, or was cut before its run began.
 * @throws CoreError `journal.corrupt`, `journal.version`
 */
export async function readRunState(journal: Pick<LogStore<JournalRecord>, 'entries'>): Promise<RunState | undefined> {
  let state: RunState | undefined;
  let index = 0;
  for await (const { record } of readJournal(journal)) {
    if (record.kind === 'begin') {
      if (state) throw corrupt(index, 'a second run begins in it');
      state = begun(record, index);
    } else if (record.kind !== 'copying' || state) {
      if (!state) throw corrupt(index, 'it does not begin with a plan');
      state = after(state, record, index);
    }
    index += 1;
  }
  return state;
}

function begun(record: Extract<JournalRecord, { kind: 'begin' }>, index: number): RunState {
  const { run, plan, disk, others, started, override, undo, copy } = record;
  try {
    provePlan(plan);
  } catch (error) {
    throw corrupt(index, 'its plan would touch what is not its own', error);
  }
  if (plan.relies.size !== disk.size || plan.relies.sectorSize !== disk.sectorSize)
    throw corrupt(index, 'its plan is for another disk');
  const fresh = { next: 0, committed: false, pieces: undefined, certificate: undefined, rewinding: false };
  const unsampled = plan.sources.find((s) => !others.some((o) => o.disk === s.disk));
  if (unsampled) throw corrupt(index, 'it does not say which disk it copies from');
  return { run, plan, disk, others, started, override, undo, copy, ...fresh };
}

function after(state: RunState, record: JournalRecord, index: number): RunState {
  if (state.certificate && record.kind !== 'rewinding') throw corrupt(index, 'it goes on after its end');
  if ('step' in record && record.step !== state.next) throw corrupt(index, 'its steps are not in order');
  switch (record.kind) {
    case 'commit':
      return { ...state, committed: true };
    case 'carry':
      if (!fits(state.plan.steps[record.step], record.ranges)) throw corrupt(index, 'it carries what is not its own');
      return state;
    case 'carried':
      return { ...state, pieces: record.pieces };
    case 'done':
      if (record.step >= state.plan.steps.length) throw corrupt(index, 'it has more steps than its plan');
      return { ...state, next: record.step + 1, committed: false, pieces: undefined };
    case 'finished':
      if (state.next !== state.plan.steps.length) throw corrupt(index, 'it ends before its plan does');
      return { ...state, certificate: record.certificate };
    case 'rewinding':
      return { ...state, rewinding: true };
    case 'copying':
      throw corrupt(index, 'a second run begins in it');
    default:
      return state;
  }
}

/** Whether ranges of a volume, from its start, are in order and within both the places it is carried between. */
function fits(step: Step | undefined, ranges: readonly (readonly [start: number, end: number])[]): boolean {
  if (step?.kind !== 'carry') return false;
  let last = 0;
  for (const [start, end] of ranges) {
    if (start < last || end <= start) return false;
    last = end;
  }
  return last <= Math.min(step.from.length, step.to.length);
}

/** What a journal that says only that a copy was being made says of it. @throws what {@link readRunState} throws */
export async function readCopying(
  journal: Pick<LogStore<JournalRecord>, 'entries'>,
): Promise<Extract<JournalRecord, { kind: 'copying' }> | undefined> {
  for await (const { record } of readJournal(journal)) return record.kind === 'copying' ? record : undefined;
  return undefined;
}
