/** How far the edges of a volume can go: the edits themselves are asked, so that what is shown and refused agree. */
import { leastSize, resizeEnd, resizeStart } from './edits';
import { boundOf, endOf, isMade, lastUsable } from './layout';
import type { Bounds, LaidVolume, Layout } from './layout';

/** From the least to the most, bytes. */
interface EdgeRange {
  readonly least: number;
  readonly most: number;
}

/** The lengths that a volume's end can give it. */
export function endRange(planned: Layout, bounds: Bounds, volume: LaidVolume): EdgeRange {
  const nearest = (wanted: number): number => {
    const result = resizeEnd(planned, bounds, volume.id, wanted);
    return result.ok ? wanted : (result.nearest ?? volume.length);
  };
  const [low, high] = [nearest(0), nearest(planned.diskSize - volume.start)];
  return { least: Math.min(low, volume.length), most: Math.max(high, volume.length) };
}

/** About what an end could be, without asking the edits: between floor and neighbour. */
export function roughEndRange(planned: Layout, bounds: Bounds, volume: LaidVolume): EdgeRange {
  const bound = isMade(volume) ? undefined : boundOf(volume, bounds);
  const next = planned.volumes[planned.volumes.indexOf(volume) + 1];
  const room = (next?.origin.kind === 'new' ? endOf(next) : (next?.start ?? lastUsable(planned))) - volume.start;
  const least = bound ? bound.floor : leastSize(volume.fileSystem);
  const most = Math.min(room, bound?.ceiling ?? Infinity);
  return { least: Math.min(least, volume.length), most: Math.max(most, volume.length) };
}

/** Where a volume's start can be; its end stays. */
export function startRange(planned: Layout, bounds: Bounds, volume: LaidVolume): EdgeRange {
  const nearest = (wanted: number): number => {
    const result = resizeStart(planned, bounds, volume.id, wanted);
    return result.ok ? wanted : (result.nearest ?? volume.start);
  };
  return { least: Math.min(nearest(0), volume.start), most: Math.max(nearest(endOf(volume)), volume.start) };
}

/** Whether a volume can be made longer or shorter at all. */
export const isResizable = (volume: LaidVolume, bounds: Bounds): boolean =>
  !volume.guarded && (isMade(volume) || boundOf(volume, bounds) !== undefined);
