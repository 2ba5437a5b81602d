/** Where something is: on which disk, and which bytes of it. Plain data; offsets and lengths are bytes. */

declare const diskId: unique symbol;
/** What a caller knows a disk by. */
export type DiskId = string & { readonly [diskId]?: true };

/** The disk that a plan is drawn on, whose journal a run keeps. Others have the ids they were offered under. */
export const HERE: DiskId = 'here';

/** A stretch of a disk, [start, start + length). */
export interface Stretch {
  readonly start: number;
  readonly length: number;
}

/** A stretch with the disk it lies on. */
export interface Place extends Stretch {
  readonly disk: DiskId;
}

/** A volume of a disk, by the number that a survey of the disk gives it. */
export interface VolumeRef {
  readonly disk: DiskId;
  readonly number: number;
}

/** Whether a place is on the disk that the plan is drawn on. */
export const isHere = (place: Pick<Place, 'disk'>): boolean => place.disk === HERE;
