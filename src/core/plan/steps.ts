/** The steps of a work order, as plain data. Offsets and lengths are bytes on the disk. */
import type { TableKind } from '@/core/layout';
import type { DiskTable } from '@/core/table';

/** A stretch of the disk that a step works in. */
export interface Stretch {
  readonly start: number;
  readonly length: number;
}

/** What a step costs. */
export interface StepCost {
  readonly reads: number;
  /** Bytes of files carried to another place. */
  readonly carries: number;
  readonly writes: number;
  readonly seconds: number;
}

/** What is lost by a step. */
export interface Loss {
  readonly files: number;
  readonly bytes: number;
}

interface Base {
  /** What the volume is called in sentences. */
  readonly name: string;
  readonly cost: StepCost;
}

/** How a kept volume is proven: file by file, or as a whole where its files can't be read for certain. */
export type ProofBy = 'files' | 'whole';

/** Checks a kept volume and reads it for the proof. */
export interface CheckStep extends Base {
  readonly kind: 'check';
  readonly number: number;
  readonly by: ProofBy;
  /** Set when a step changes the volume, which errors then forbid. */
  readonly changes: boolean;
  readonly at: Stretch;
  readonly files: number;
}

/** Makes a volume's file system smaller. */
export interface ShrinkStep extends Base {
  readonly kind: 'shrink';
  readonly at: Stretch;
  readonly to: number;
}

/** Carries a volume to another place. What it holds is read from where it is, in pieces, and stays whole. */
export interface MoveStep extends Base {
  readonly kind: 'move';
  readonly number: number;
  readonly at: Stretch;
  readonly to: number;
  /** Every byte is carried, since what is in use is not known; nothing in it is changed. */
  readonly whole: boolean;
  /** It only makes room and is carried on later. */
  readonly aside: boolean;
  /** The length it gets on the way, where it is made smaller without being carried for that. */
  readonly shrinkTo?: number;
  /** The table as it is once this volume is there, where it can be told before all are in place. */
  readonly table?: DiskTable;
}

/** A stretch of unallocated space on another disk, where volumes may be set aside. */
export interface Scratch extends Stretch {
  /** What the caller knows the disk by. */
  readonly disk: string;
  /** What the disk is called in sentences. */
  readonly name: string;
  readonly sectorSize: number;
}

/** A place on another disk, in bytes from its beginning. */
export interface Elsewhere {
  readonly disk: string;
  readonly name: string;
  readonly start: number;
}

/** Carries a volume to another disk, where it is kept until it is brought back. */
export interface ParkStep extends Base {
  readonly kind: 'park';
  readonly number: number;
  readonly at: Stretch;
  readonly on: Elsewhere;
  readonly whole: boolean;
  /** The table while the volume is away. */
  readonly table?: DiskTable;
}

/** Brings a volume back from another disk. */
export interface FetchStep extends Base {
  readonly kind: 'fetch';
  readonly number: number;
  readonly from: Elsewhere;
  readonly at: Stretch;
  readonly whole: boolean;
  readonly table?: DiskTable;
}

/** Takes a volume away. The table step makes it so. */
export interface RemoveStep extends Base {
  readonly kind: 'remove';
  readonly at: Stretch;
  readonly loses: Loss;
}

/** Writes the partition table. */
export interface TableStep extends Base {
  readonly kind: 'table';
  readonly table: DiskTable;
  /** The kind there was. */
  readonly from: TableKind;
  readonly volumes: number;
  /** Findings that writing the table puts right. */
  readonly mends: readonly string[];
}

/** Makes a volume's file system larger. */
export interface GrowStep extends Base {
  readonly kind: 'grow';
  readonly at: Stretch;
  readonly from: number;
}

/** Makes a new file system. */
export interface MakeStep extends Base {
  readonly kind: 'make';
  readonly at: Stretch;
  readonly fileSystem: string;
  readonly label: string;
  readonly clusterSize: number | undefined;
  readonly serial: number;
  readonly format: 'quick' | 'full';
  readonly loses?: Loss;
}

/** Changes a label. */
export interface RelabelStep extends Base {
  readonly kind: 'relabel';
  readonly at: Stretch;
  readonly label: string;
}

/** Reads a kept volume again and compares. */
export interface ProveStep extends Base {
  readonly kind: 'prove';
  readonly number: number;
  readonly by: ProofBy;
  readonly at: Stretch;
  readonly files: number;
}

/** Has the system a kept volume belongs to check it at its next start. */
export interface MarkStep extends Base {
  readonly kind: 'mark';
  readonly at: Stretch;
}

export type Step =
  | CheckStep
  | ShrinkStep
  | MoveStep
  | ParkStep
  | FetchStep
  | RemoveStep
  | TableStep
  | GrowStep
  | MakeStep
  | RelabelStep
  | ProveStep
  | MarkStep;

/** Something the person must know or do, with how much it matters. */
export interface Hazard {
  readonly severity: 'info' | 'warning';
  readonly message: string;
}

/** A derived work order. The same inputs give the same plan. */
export interface Plan {
  readonly steps: readonly Step[];
  readonly total: StepCost;
  /** The fewest bytes that any order could carry: what is in use of each volume that moves, else what is past its end. */
  readonly leastCarried: number;
  readonly loses: Loss;
  /** Why the machine the disk is in has to restart for this, if it has to. */
  readonly restart?: string;
  readonly hazards: readonly Hazard[];
  /** What must be set again afterwards. */
  readonly after: readonly string[];
}
