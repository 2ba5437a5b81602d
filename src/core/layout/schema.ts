/** Layouts as they are read from what was stored: whatever is there, what comes out has this shape. */
import { isGuid } from '@/core/bytes';
import { PATTERNS } from '@/core/health';
import * as z from 'zod';
import { asVolumeId, type LaidVolume, type Layout } from './layout';

const bytes = z.int().min(0);
const guid = z.string().refine(isGuid, 'a GUID in capitals');

const refSchema = z.object({ disk: z.string().max(200), number: z.int().min(1) });

const volumeSchema: z.ZodType<LaidVolume> = z.object({
  id: z.string().min(1).max(100).transform(asVolumeId),
  origin: z.discriminatedUnion('kind', [
    z.object({ kind: z.literal('kept'), number: z.int().min(1) }),
    z.object({ kind: z.literal('new') }),
    z.object({
      kind: z.literal('copy'),
      of: refSchema,
      name: z.string().max(200),
      diskName: z.string().max(200),
      length: bytes,
      used: bytes,
      bounds: z.object({ floor: bytes, floorReason: z.string(), ceiling: bytes, ceilingReason: z.string() }).optional(),
      identity: z.enum(['new', 'kept']),
    }),
  ]),
  start: bytes,
  length: bytes,
  fileSystem: z.string().max(20),
  knownAs: z.string().max(60).optional(),
  clusterSize: z.int().min(1).optional(),
  chosen: z.record(z.string().max(40), z.union([z.boolean(), z.number(), z.string().max(100)])).optional(),
  label: z.string().max(200),
  letter: z
    .string()
    .regex(/^[A-Z]$/)
    .optional(),
  role: z.enum(['system', 'data', 'firmware', 'recovery', 'foreign', 'swap']),
  active: z.boolean(),
  type: z.int().min(0).max(255),
  logical: z.boolean(),
  placement: z.enum(['primary', 'logical']).optional(),
  flags: z.array(z.enum(['required', 'read-only', 'hidden', 'no-letter'])),
  typeGuid: guid.optional(),
  guid: guid.optional(),
  tableName: z.string().max(36).optional(),
  format: z.enum(['quick', 'full']).optional(),
  guarded: z.boolean(),
});

const how = { passes: z.array(z.enum(PATTERNS)).min(1).max(35), compare: z.number().min(0).max(1) };
const wipeSchema = z.discriminatedUnion('what', [
  z.object({ what: z.literal('unallocated'), ...how }),
  z.object({ what: z.literal('disk'), ...how }),
  z.object({ what: z.literal('free'), volume: z.string().max(100).transform(asVolumeId), ...how }),
  z.object({ what: z.literal('volume'), number: z.int().min(1), name: z.string().max(200), ...how }),
]);

/** A layout that was stored. */
export const layoutSchema: z.ZodType<Layout> = z.object({
  diskSize: z.int().min(1),
  sectorSize: z.int().min(1),
  table: z.enum(['none', 'mbr', 'gpt']),
  volumes: z.array(volumeSchema).max(1000),
  tableEntries: bytes.optional(),
  mendTable: z.boolean().optional(),
  mend: z.boolean().optional(),
  transfers: z
    .array(
      z.object({
        from: refSchema,
        fromName: z.string().max(200),
        to: z.string().max(100).transform(asVolumeId),
        folder: z.string(),
        under: z.string(),
        then: z.enum(['keep', 'remove', 'back']),
        leave: z.literal('link').optional(),
      }),
    )
    .max(1000)
    .optional(),
  wipes: z.array(wipeSchema).max(1000).optional(),
});
