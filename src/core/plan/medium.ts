/** How fast a medium is, for estimates before anything has been measured. Bytes a second and seconds. */
export type MediumKind = 'hdd' | 'ssd' | 'nvme' | 'usb' | 'card';

export interface MediumSpeed {
  readonly read: number;
  readonly write: number;
  /** Seconds to get from one place to another. */
  readonly seek: number;
}

const MB = 1_000_000;

const SPEEDS: Readonly<Record<MediumKind, MediumSpeed>> = {
  hdd: { read: 110 * MB, write: 100 * MB, seek: 0.012 },
  ssd: { read: 480 * MB, write: 400 * MB, seek: 0.0001 },
  nvme: { read: 2200 * MB, write: 1500 * MB, seek: 0.00005 },
  usb: { read: 90 * MB, write: 25 * MB, seek: 0.001 },
  card: { read: 80 * MB, write: 20 * MB, seek: 0.001 },
};

/** The speed taken for a kind of medium. */
export function speedOf(medium: MediumKind): MediumSpeed {
  return SPEEDS[medium];
}

/** Seconds for reading and writing this much with so many changes of place. */
export function secondsFor(speed: MediumSpeed, reads: number, writes: number, seeks: number): number {
  return reads / speed.read + writes / speed.write + seeks * speed.seek;
}
