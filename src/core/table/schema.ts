/** Tables as they are read from documents and journals: whoever wrote those, what comes out has this shape. */
import { isGuid } from '@/core/bytes';
import * as z from 'zod';
import type { DiskTable } from './disk-table';

const count = z.int().min(0);
const mbrEntry = z.strictObject({
  slot: z.int().min(0).max(3),
  active: z.boolean(),
  type: z.int().min(1).max(255),
  startLba: count,
  lengthSectors: z.int().min(1),
});
const guid = z.string().refine(isGuid, 'a GUID in capitals');

const mbrSchema = z.strictObject({
  kind: z.literal('mbr'),
  diskSignature: z.int().min(0).max(0xffffffff),
  primaries: z.array(mbrEntry).max(4),
  container: mbrEntry.omit({ active: true }).optional(),
  logicals: z.array(mbrEntry.omit({ slot: true }).extend({ ebrLba: count })).max(256),
});

const gptSchema = z.strictObject({
  kind: z.literal('gpt'),
  diskGuid: guid,
  entryCount: z.int().min(1).max(32_768),
  entrySize: z.int().min(128).max(4096),
  entries: z
    .array(
      z.strictObject({
        slot: count,
        typeGuid: guid,
        guid,
        firstLba: count,
        lastLba: count,
        attributes: z.string().regex(/^[0-9A-F]{16}$/),
        name: z.string().max(36),
      }),
    )
    .max(32_768),
});

/** A table that is there. */
export const writtenTableSchema = z.discriminatedUnion('kind', [mbrSchema, gptSchema]);

/** Any table, or none. */
export const diskTableSchema: z.ZodType<DiskTable> = z.discriminatedUnion('kind', [
  z.strictObject({ kind: z.literal('none') }),
  mbrSchema,
  gptSchema,
]);
