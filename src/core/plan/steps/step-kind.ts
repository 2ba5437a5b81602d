/** What a kind of step is: its data, what it says of itself, whose bytes it needs and which it writes. */
import type { DiskTable } from '@/core/table';
import { partSchema, type Part } from '@/core/files';
import { HERE, type DiskId, type Place } from '@/core/place';
import type { UnitSystem } from '@/core/size';
import * as z from 'zod';
import type { Ownership } from '../ownership';

const bytes = z.int().min(0);
const amount = z.number().min(0);

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

/** How a kept volume is proven: file by file, or as a whole where its files can't be read for certain. */
export type ProofBy = 'files' | 'whole';

/** What every step has. */
export interface StepBase {
  /** What the volume is called in sentences. */
  readonly name: string;
  readonly cost: StepCost;
}

/** A stretch of another disk that a plan takes for a time. */
export interface LentRoom extends Place {
  /** What the disk is called in sentences. */
  readonly name: string;
}

/** What comes to a volume: what was read by the check of that number, below a folder, under a path. */
export interface Receives {
  readonly measure: number;
  readonly folder: string;
  readonly under: string;
  /** What of it, where not all comes at a time. */
  readonly part?: Part;
  /** It is taken over where it lies, with everything. */
  readonly adopted?: true;
  /** Files that are compressed are not where they come to. */
  readonly uncompressed?: true;
}

/** A link that is left where a folder was: to a path of a volume, by its letter or its label. */
export interface LeftLink {
  readonly volume: string;
  readonly path: string;
}

/** What goes from a volume: a folder, or everything, with what is left in its place. */
export interface Gives {
  readonly folder: string;
  readonly link?: LeftLink;
}

/** A step as a line and a line of detail. */
export interface StepWords {
  readonly title: string;
  readonly detail: string;
}

/** One kind of step, as far as planning, showing and proving go. How it is carried out stands in `run/steps`. */
export interface StepKind<S extends StepBase> {
  /** What a step of this kind is when it is read from a journal. */
  readonly schema: z.ZodType<S>;
  /** A volume that a running system is on can't be treated so; the machine restarts for it. */
  readonly restarts?: boolean | ((step: S) => boolean);
  words(step: S, units: UnitSystem): StepWords;
  /** Why it is there, and there. */
  reason(step: S): string;
  /** Who owns which bytes once it is done. @throws RangeError when it would touch what is not its own */
  claims(step: S, owners: Ownership): Ownership;
  /** The bytes of volumes that it may write, all on one disk. */
  touches(step: S): readonly Place[];
  /** Other disks on which it finds volumes that stay there. */
  reads?(step: S): readonly DiskId[];
  /** Room of another disk that it takes. What it leaves there is cleared by the plan itself, or once the run is taken back. */
  lent?(step: S): readonly LentRoom[];
  /** The table it writes, if it writes one. */
  table?(step: S): DiskTable | undefined;
  /** What a person should know before. */
  hazards?(step: S): readonly string[];
}

export const costSchema: z.ZodType<StepCost> = z.strictObject({
  reads: bytes,
  carries: bytes,
  writes: amount,
  seconds: amount,
});
export const lossSchema: z.ZodType<Loss> = z.strictObject({ files: bytes, bytes });
export const numberSchema = z.int().min(1);
export const linkSchema: z.ZodType<LeftLink> = z.strictObject({
  volume: z.string().min(1).max(200),
  path: z.string().max(40_000),
});
export const givesSchema: z.ZodType<Gives> = z.strictObject({
  folder: z.string().max(40_000),
  link: linkSchema.optional(),
});
export const receiptSchema: z.ZodType<Receives> = z.strictObject({
  measure: numberSchema,
  folder: z.string().max(40_000),
  under: z.string().max(40_000),
  part: partSchema.optional(),
  adopted: z.literal(true).optional(),
  uncompressed: z.literal(true).optional(),
});
export const placeSchema: z.ZodType<Place> = z.strictObject({ disk: z.string(), start: bytes, length: bytes });
/** A stretch of the disk itself. */
export const herePlaceSchema: z.ZodType<Place> = z.strictObject({
  disk: z.literal(HERE),
  start: bytes,
  length: bytes,
});
/** What every step's schema begins with. */
export const baseShape = { name: z.string().max(200), cost: costSchema };
export const byteCount = bytes;
