/** Names that have a meaning. */
import type { DiskId } from '@/core/place';

/** What plans know the file by in which a run may set volumes aside, wherever it is. */
export const SCRATCH: DiskId = 'scratch';

/** The mark of a disk that a run of another one writes too, by what would stand beside the disk. */
export const partMarkOf = (beside: string): string => `${beside}.ullager-part`;
