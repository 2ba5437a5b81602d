/** Makes a new file system. */
import { findKind, type Chosen } from '@/core/fs';
import { isHere, type Place } from '@/core/place';
import { formatSize } from '@/core/size';
import * as z from 'zod';
import { lossWords } from '../words';
import {
  baseShape,
  byteCount,
  lossSchema,
  numberSchema,
  placeSchema,
  type Loss,
  type StepBase,
  type StepKind,
} from './step-kind';

export interface MakeStep extends StepBase {
  readonly kind: 'make';
  readonly at: Place;
  /** What the other disk is called in sentences, where it is made and filled on one before it comes here. */
  readonly other?: string;
  readonly fileSystem: string;
  readonly label: string;
  readonly clusterSize: number;
  readonly serial: number;
  /** What was chosen beside, where anything was. */
  readonly chosen?: Chosen;
  readonly format: 'quick' | 'full';
  /** The volume that is made anew, if there was one; nobody wants what it holds. */
  readonly replaces?: number;
  readonly loses?: Loss;
}

export const make: StepKind<MakeStep> = {
  schema: z
    .strictObject({
      kind: z.literal('make'),
      ...baseShape,
      at: placeSchema,
      other: z.string().max(200).optional(),
      fileSystem: z.string().max(20),
      label: z.string().max(200),
      clusterSize: byteCount,
      serial: z.int().min(0).max(0xffffffff),
      chosen: z.record(z.string(), z.union([z.boolean(), z.number(), z.string().max(100)])).optional(),
      format: z.enum(['quick', 'full']),
      replaces: numberSchema.optional(),
      loses: lossSchema.optional(),
    })
    .refine(({ at, other }) => isHere(at) === (other === undefined), 'another disk is named where it is made on one'),
  words: ({ name, at, fileSystem, format, loses, other }, units) => {
    const title = findKind(fileSystem)?.title ?? fileSystem;
    const lost = loses ? `, lost: ${lossWords(loses, units)}` : '';
    const where = other === undefined ? '' : ` on ${other}`;
    const detail = `${format} format${other === undefined ? lost : ' in unallocated space there'}`;
    return { title: `Make ${name}, ${formatSize(at.length, units)} ${title}${where}`, detail };
  },
  reason: ({ other }) =>
    other === undefined
      ? 'Nothing that is kept lies there any more.'
      : 'This disk has no room for it before the files have left the volume they are on.',
  claims: ({ at, replaces }, owners) => {
    // What it takes the place of was kept only until it had been copied.
    const old =
      replaces === undefined ? undefined : owners.owners.find((o) => o.volume === replaces && isHere(o.place));
    return (old ? owners.without(old) : owners).with(at, 'new');
  },
  lent: ({ at, other }) => (other === undefined ? [] : [{ ...at, name: other }]),
  touches: ({ at }) => [at],
  hazards: ({ name, other }) =>
    other === undefined
      ? []
      : [
          `While ${name} is on ${other}, what has come to it is whole only there: keep both disks at hand until the run is over. What was once in the unallocated space it takes there is overwritten.`,
        ],
};
