/** What is kept of a scan: how far it is, how fast each part of the disk was, and which places failed. Versioned plain data. */
import * as z from 'zod';
import type { Measured } from './speed';

/** Even parts of a disk whose speed is kept. */
export const PARTS = 2112;

const place = z.object({ start: z.int().min(0), end: z.int().min(0) });

/** A place with what lies on it, where that is known by now. */
const hitSchema = place.extend({
  number: z.int().min(1).optional(),
  what: z.enum(['file', 'structure', 'free space', 'unallocated', 'not known']).optional(),
  path: z.string().optional(),
});

export const scanRecordSchema = z.object({
  version: z.literal(1),
  measured: z.enum(['medium', 'file']) satisfies z.ZodType<Measured>,
  /** When it was begun, and when it was last gone on with, as ISO strings. */
  begun: z.string(),
  updated: z.string(),
  size: z.int().min(1),
  sectorSize: z.int().min(1),
  /** What is read, where that is not all of the disk. */
  stretch: place.optional(),
  /** When the rest was read last, where something is known of it by a scan before. */
  rest: z.string().optional(),
  /** The byte of the disk up to which it was read. */
  done: z.int().min(0),
  /** Seconds that this took. */
  seconds: z.number().min(0),
  /** Bytes a second by part of what is read, and 0 for what was not read yet. */
  course: z.array(z.number().min(0)).length(PARTS),
  faults: z.array(hitSchema).max(100_000),
  slow: z.array(hitSchema).max(100_000),
});

export type ScanRecord = z.output<typeof scanRecordSchema>;
export type ScanHit = z.output<typeof hitSchema>;

/** What came of a stretch of a scan. */
export interface ScanBatch {
  readonly done: number;
  readonly seconds: number;
  /** Parts with the bytes a second that they were read with. */
  readonly course: readonly (readonly [part: number, bytesPerSecond: number])[];
  readonly faults: readonly { readonly start: number; readonly end: number }[];
  readonly slow: readonly { readonly start: number; readonly end: number }[];
}

type Begun = Pick<ScanRecord, 'size' | 'sectorSize' | 'measured' | 'begun' | 'stretch'>;

/**
 * A scan that has read nothing yet. Of one of a part of the disk, what was found outside of it before stays.
 * @param before of the same disk
 */
export function beginScan(of: Begun, before?: ScanRecord): ScanRecord {
  const course = Array.from({ length: PARTS }, () => 0);
  const { stretch } = of;
  const fresh = { version: 1 as const, ...of, updated: of.begun, done: stretch?.start ?? 0, seconds: 0 };
  if (!stretch || !before) return { ...fresh, course, faults: [], slow: [] };
  const [first, last] = [partOf(of.size, stretch.start), partOf(of.size, stretch.end - 1)];
  const outside = (hits: readonly ScanHit[]): ScanHit[] =>
    hits.flatMap((hit) => {
      const own = [
        { ...hit, end: Math.min(hit.end, stretch.start) },
        { ...hit, start: Math.max(hit.start, stretch.end) },
      ];
      return own.filter(({ start, end }) => start < end);
    });
  return {
    ...fresh,
    rest: before.updated,
    course: before.course.map((speed, part) => (part >= first && part <= last ? 0 : speed)),
    faults: outside(before.faults),
    slow: outside(before.slow),
  };
}

/** The record with what came of a stretch. */
export function withBatch(record: ScanRecord, batch: ScanBatch, updated: string): ScanRecord {
  const course = [...record.course];
  for (const [part, speed] of batch.course) course[part] = speed;
  return {
    ...record,
    updated,
    course,
    done: batch.done,
    seconds: record.seconds + batch.seconds,
    faults: [...record.faults, ...batch.faults],
    slow: [...record.slow, ...batch.slow],
  };
}

/** The part that a byte of the disk is in. */
export const partOf = (size: number, at: number): number => Math.min(PARTS - 1, Math.floor((at / size) * PARTS));

/** What a scan reads. */
export const stretchOf = ({ stretch, size }: Pick<ScanRecord, 'stretch' | 'size'>) =>
  stretch ?? { start: 0, end: size };

/** Whether all of it was read. */
export const isWhole = (record: Pick<ScanRecord, 'done' | 'size' | 'stretch'>): boolean =>
  record.done >= stretchOf(record).end;

/** Sectors of places. */
export const sectorsIn = (places: readonly { start: number; end: number }[], sectorSize: number): number =>
  places.reduce((sum, p) => sum + (p.end - p.start) / sectorSize, 0);
