/** Where an edge that is dragged comes to rest: at what matters, where that is near, else on the grid of the scale. */
import { roomyLength } from '@/core/goal';
import type { LaidVolume } from '@/core/layout';
import { snapStep } from '@/core/report';
import { GIB } from '@/core/size';

/** Pixels within which what matters draws the edge to itself. */
const NEAR = 6;
/** Whole GiB draw only where they are further apart than this. */
const APART = 4 * NEAR;

/** What an edge may be, and where it would stop. Bytes. */
export interface Snapping {
  readonly bytesPerPixel: number;
  readonly least: number;
  readonly most: number;
  /** Set for what is in use of the volume, where that is known. */
  readonly used?: number | undefined;
}

/** The length that a volume gets when its end is dragged to `wanted`. */
export function snapLength(wanted: number, volume: Pick<LaidVolume, 'role'>, at: Snapping): number {
  const { bytesPerPixel, least, most, used } = at;
  const room = used === undefined || used === 0 ? [] : [roomyLength(used, volume.role)];
  const whole = GIB > APART * bytesPerPixel ? [Math.round(wanted / GIB) * GIB] : [];
  return nearestOf(wanted, [least, most, ...room, ...whole], at);
}

/** The place that a start gets when it is dragged to `wanted`. */
export const snapStart = (wanted: number, at: Snapping): number => nearestOf(wanted, [at.least, at.most], at);

function nearestOf(wanted: number, marks: readonly number[], { bytesPerPixel, least, most }: Snapping): number {
  const near = marks
    .filter((m) => m >= least && m <= most && Math.abs(m - wanted) <= NEAR * bytesPerPixel)
    .sort((a, b) => Math.abs(a - wanted) - Math.abs(b - wanted))[0];
  if (near !== undefined) return Math.ceil(near);
  const step = snapStep(bytesPerPixel);
  return Math.round(wanted / step) * step;
}
