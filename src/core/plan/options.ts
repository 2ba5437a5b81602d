/** What a plan is derived with. */
import type { Failing } from './hazards';
import type { MediumKind, MediumSpeed } from './medium';
import type { Scratch } from './scratch';
import type { SourceDisk } from './subjects';
import type { PlannedTransfer } from './transfers';

/** What the plan is derived from beside the two layouts. */
export interface PlanOptions {
  readonly medium?: MediumKind;
  /** How fast the medium is, where that is known better than by its kind. */
  readonly speed?: MediumSpeed;
  /** Goes on with volumes whose check found errors that do not make the change itself unsafe. */
  readonly override?: boolean;
  /** Stretches of the disk that are known to fail. */
  readonly failing?: Failing;
  /** Has volumes take those out of use. */
  readonly retireFailing?: boolean;
  /** Has the systems that changed volumes belong to check them at their next start. */
  readonly checkAtNextStart?: boolean;
  /** Unallocated stretches of other disks, for volumes that can be set aside nowhere on this one. */
  readonly scratch?: readonly Scratch[];
  /** Other disks, whose volumes may be copied, and from which files may be taken. */
  readonly disks?: readonly SourceDisk[];
  readonly transfers?: readonly PlannedTransfer[];
}
