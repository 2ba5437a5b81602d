/** What a run works with, and what it tells while it goes. */
import type { BlockDevice } from '@/core/device';
import type { DiskId } from '@/core/place';
import type { HasherFactory } from '@/core/proof';
import type { JournalStore } from './journal';
import type { LogLine } from './run-log';

/** What a run tells while it goes. Plain data. */
export interface RunProgress {
  readonly step: number;
  /** Bytes read or carried of the step's own total. */
  readonly done: number;
  readonly total: number;
  readonly state: 'working' | 'done';
}

/** What a run works with. */
export interface RunPorts {
  /** The disk that is divided. */
  readonly disk: BlockDevice;
  /** What it is a copy of, where it is one: the proof measures by that. It is only read. */
  readonly original?: BlockDevice;
  /** Other disks that the plan sets volumes aside on, by what the plan knows them by. */
  readonly others?: ReadonlyMap<DiskId, BlockDevice>;
  readonly journal: JournalStore;
  readonly hasher?: HasherFactory;
  readonly progress?: (progress: RunProgress) => void;
  /** Takes the lines of the log. */
  readonly log?: (line: LogLine) => void;
  /** Aborting stops at the next safe moment; the run can be resumed. */
  readonly signal?: AbortSignal;
  /** Has the machine forget what it holds of the disk in memory, so that a proof reads the medium itself. */
  readonly forget?: () => Promise<void>;
  /** The time as an ISO string. */
  readonly now: () => string;
  readonly alwaysBytes?: boolean;
}
