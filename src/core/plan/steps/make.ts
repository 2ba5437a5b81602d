/** Makes a new file system. */
import { findKind, type Chosen } from '@/core/fs';
import { isHere, type Place } from '@/core/place';
import { formatSize } from '@/core/size';
import * as z from 'zod';
import { lossWords } from '../words';
import {
  baseShape,
  byteCount,
  herePlaceSchema,
  lossSchema,
  numberSchema,
  type Loss,
  type StepBase,
  type StepKind,
} from './step-kind';

export interface MakeStep extends StepBase {
  readonly kind: 'make';
  readonly at: Place;
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
  schema: z.strictObject({
    kind: z.literal('make'),
    ...baseShape,
    at: herePlaceSchema,
    fileSystem: z.string().max(20),
    label: z.string().max(200),
    clusterSize: byteCount,
    serial: z.int().min(0).max(0xffffffff),
    chosen: z.record(z.string(), z.union([z.boolean(), z.number(), z.string().max(100)])).optional(),
    format: z.enum(['quick', 'full']),
    replaces: numberSchema.optional(),
    loses: lossSchema.optional(),
  }),
  words: ({ name, at, fileSystem, format, loses }, units) => {
    const title = findKind(fileSystem)?.title ?? fileSystem;
    const lost = loses ? `, lost: ${lossWords(loses, units)}` : '';
    return { title: `Make ${name}, ${formatSize(at.length, units)} ${title}`, detail: `${format} format${lost}` };
  },
  reason: () => 'Nothing that is kept lies there any more.',
  claims: ({ at, replaces }, owners) => {
    // What it takes the place of was kept only until it had been copied.
    const old =
      replaces === undefined ? undefined : owners.owners.find((o) => o.volume === replaces && isHere(o.place));
    return (old ? owners.without(old) : owners).with(at, 'new');
  },
  touches: ({ at }) => [at],
};
