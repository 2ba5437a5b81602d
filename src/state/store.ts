/** What the page knows: the bench, what is looked at, jobs, and runs. One store, changed by the modules beside it. */
import type { ScanRecord, SpeedResult } from '@/core/health';
import type { Survey } from '@/core/inspect';
import type { JobFile } from '@/core/job';
import type { VolumeId } from '@/core/layout';
import { USUAL_PACE, type Course, type Pace, type Plan, type PlannedTransfer } from '@/core/plan';
import type { Certificate } from '@/core/proof';
import type { UnitSystem } from '@/core/size';
import type { StorageUse, StoredDisk } from '@/engine';
import { create } from 'zustand';
import type { JobState } from './job';
import type { KeptHandle } from './picked';

export type Stage = 'bench' | 'look' | 'divide' | 'review' | 'run' | 'prove';

/** A disk on the bench, as far as it is open. */
export interface BenchDisk {
  readonly stored: StoredDisk;
  readonly status: 'opening' | 'open' | 'wanted' | 'failed';
  readonly survey?: Survey;
  /** When the survey was made, in milliseconds since 1970. */
  readonly lookedAt?: number;
  readonly error?: string;
  /** Why the journal of a run on it can't be gone on with; it can only be put back as it was. */
  readonly stuck?: string;
}

/** A run as the page follows it. */
export interface RunView extends Course {
  readonly plan: Plan;
  readonly state: 'running' | 'stopping' | 'stopped' | 'failed' | 'finished';
  readonly startedAt: number;
  /** 0 to 1: how much of its time is over; never less than it was. */
  readonly share: number;
  /** Seconds that the real medium of a practice disk would have taken so far. */
  readonly simulated?: number;
  readonly error?: string;
  readonly certificate?: Certificate;
}

/** Whether a run is being worked on, be it that it was asked to stop. */
export const isGoing = ({ state }: Pick<RunView, 'state'>): boolean => state === 'running' || state === 'stopping';

/** What is looked at, and how. It is kept. */
export interface View {
  readonly currentId?: string | undefined;
  readonly stage: Stage;
  readonly units: UnitSystem;
  readonly theme: 'light' | 'dark' | 'system';
}

/** Helpers of Divide: goals, a split by sizes, ways to a wish for room, advice on a volume. */
export type Asking =
  | { readonly kind: 'goals' }
  | { readonly kind: 'split' }
  | { readonly kind: 'advice' }
  /** Of a disk, where one was brought. */
  | { readonly kind: 'copy'; readonly from?: string }
  | { readonly kind: 'folders' }
  | { readonly kind: 'take' }
  | { readonly kind: 'merge' }
  | { readonly kind: 'wipe' }
  | { readonly kind: 'ways'; readonly wish: 'grow' | 'free' };

/** A file that can't be taken on without a word from the person. */
export type Choosing = { readonly file: File; readonly handle?: KeptHandle | undefined } & (
  | { readonly why: 'several'; readonly names: readonly string[] }
  | { readonly why: 'same?'; readonly id: string; readonly name: string }
  | { readonly why: 'other'; readonly id: string; readonly name: string }
  | { readonly why: 'no table' }
);

/** Transfers that were looked at, or why they can't be; nothing while they are. */
export interface LookedTransfers {
  readonly key: string;
  readonly transfers?: readonly PlannedTransfer[];
  readonly fault?: string;
}

/** What of a disk is looked at. */
export type LookTab = 'volumes' | 'scan' | 'speed' | 'findings' | 'lost';

/** What reads the whole of a disk just now. */
type HealthTask = { readonly startedAt: number } & (
  | { readonly kind: 'scan'; readonly from: number }
  | { readonly kind: 'speed' | 'find'; readonly share: number }
  | { readonly kind: 'mends' }
);

/** How sound a disk is, as far as it is known. */
export interface HealthView {
  readonly scan?: ScanRecord;
  readonly speeds: readonly SpeedResult[];
  readonly task?: HealthTask | undefined;
}

export interface BenchState extends View {
  readonly ready: boolean;
  /** Set while another tab holds the bench. */
  readonly readOnly: boolean;
  readonly disks: readonly BenchDisk[];
  readonly jobs: Readonly<Record<string, JobState>>;
  readonly runs: Readonly<Record<string, RunView>>;
  readonly health: Readonly<Record<string, HealthView>>;
  /** How runs go on this machine, by those there were. */
  readonly pace: Pace;
  readonly tab: LookTab;
  readonly selected?: VolumeId | undefined;
  /** Volumes in hand beside the one that is selected. */
  readonly also: readonly VolumeId[];
  /** A volume that was just made, whose size is what a person types next. */
  readonly fresh?: VolumeId | undefined;
  readonly refusal?: { readonly reason: string; readonly nearest?: number } | undefined;
  /** What the last edit rounded or changed on the way. */
  readonly note?: string | undefined;
  readonly problem?: string | undefined;
  /** Set when storage is full, with what takes how much. */
  readonly full?: StorageUse | undefined;
  /** Why nothing can be kept here, so that the bench does not open. */
  readonly fatal?: string | undefined;
  /** Set while the engine does not answer. */
  readonly silent: boolean;
  /** An image that is being opened, with how far that is. */
  readonly opening?:
    { readonly id: string; readonly name: string; readonly done: number; readonly total: number } | undefined;
  readonly choosing?: Choosing | undefined;
  /** A job that was opened, until a person says on which disk. */
  readonly offered?: JobFile | undefined;
  /** What the transfers of each disk's plan were found to come to, for which of them. */
  readonly looked: Readonly<Record<string, LookedTransfers>>;
  /** A helper that is open beside the plan. */
  readonly asking?: Asking | undefined;
}

export const useBench = create<BenchState>(() => ({
  ready: false,
  readOnly: false,
  silent: false,
  disks: [],
  jobs: {},
  runs: {},
  health: {},
  pace: USUAL_PACE,
  tab: 'volumes',
  also: [],
  looked: {},
  stage: 'bench',
  units: 'binary',
  theme: 'system',
}));

export const { getState: get, setState: set } = useBench;

export function putDisk(id: string, change: Partial<BenchDisk>): void {
  const looked = change.survey ? { lookedAt: Date.now() } : {};
  set(({ disks }) => ({ disks: disks.map((d) => (d.stored.id === id ? { ...d, ...looked, ...change } : d)) }));
}

export const diskOf = (id: string): BenchDisk | undefined => get().disks.find((d) => d.stored.id === id);

/** Whether a run on a disk has been begun and is not over. */
export const unfinished = (run: RunView | undefined): boolean => run !== undefined && run.state !== 'finished';

/** Why nothing on a disk may be changed by a person just now, or undefined when it may. */
export function mayNotEdit(
  { readOnly, runs, disks }: Pick<BenchState, 'readOnly' | 'runs' | 'disks'>,
  id?: string,
): string | undefined {
  if (readOnly) return 'The bench is open in another tab, and only that one changes it.';
  const stored = disks.find((d) => d.stored.id === id)?.stored;
  if (stored?.guarded) return `${stored.name} is guarded as a whole. Lift its guard on the bench first.`;
  return id !== undefined && unfinished(runs[id])
    ? 'A run on this disk is not over. It is gone on with, or rewound, first.'
    : undefined;
}

/** Whether plan, undo and redo of a disk may be changed: not during a run, and not in a tab that only shows. */
export const mayEdit = (id: string): boolean => mayNotEdit(get(), id) === undefined;
