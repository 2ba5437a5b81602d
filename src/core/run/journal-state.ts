/** Where a journal says its run is. */
import { CoreError } from '@/core/errors';
import type { Plan } from '@/core/plan';
import type { Certificate } from '@/core/proof';
import type { DiskIdentity, JournalStore } from './journal';

/** The state of a run, read from its journal. */
export interface RunState {
  readonly plan: Plan;
  readonly disk: DiskIdentity;
  readonly started: string;
  readonly override: boolean;
  /** The step to go on with. */
  readonly next: number;
  /** Set when that step is in the journal as a whole and only has to be applied. */
  readonly committed: boolean;
  /** Pieces of that step that were moved, once its list is in the journal. */
  readonly pieces: number | undefined;
  readonly certificate: Certificate | undefined;
}

/** Reads a journal; undefined when it is new. @throws CoreError `journal.corrupt` */
export async function readRunState(journal: JournalStore): Promise<RunState | undefined> {
  let begin: Omit<RunState, 'next' | 'committed' | 'pieces' | 'certificate'> | undefined;
  let next = 0;
  let committed = false;
  let pieces: number | undefined;
  let certificate: Certificate | undefined;
  let index = 0;
  for await (const { record } of journal.entries()) {
    if (!begin && record.kind !== 'begin')
      throw new CoreError('journal.corrupt', { record: index, reason: 'it does not begin with a plan' });
    index += 1;
    if (record.kind === 'begin')
      begin = { plan: record.plan, disk: record.disk, started: record.started, override: record.override };
    else if (record.kind === 'commit') committed = true;
    else if (record.kind === 'carried') pieces = record.pieces;
    else if (record.kind === 'done') {
      next = record.step + 1;
      committed = false;
      pieces = undefined;
    } else if (record.kind === 'finished') certificate = record.certificate;
  }
  return begin && { ...begin, next, committed, pieces, certificate };
}
