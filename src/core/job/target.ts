/** A target: the planned layout in disk order, as a person or a script writes it. Sizes are in the size grammar. */
import { CoreError } from '@/core/errors';
import { PATTERNS } from '@/core/health';
import * as z from 'zod';

const size = z.string().min(1).max(40).describe('In the size grammar: 24 GiB, 61 440 MiB, 50 %, half, rest, floor');
const role = z.enum(['system', 'data', 'firmware', 'recovery', 'foreign', 'swap']);
const letter = z.union([z.string().regex(/^[A-Z]$/), z.literal('')]).describe('A single capital, or empty for none');

/** A power of two from a sector on; which of them suit a file system and a size is the file system's. */
const clusterSize = z
  .int()
  .min(512)
  .max(2 ** 25)
  .refine((n) => Number.isInteger(Math.log2(n)), 'a power of two');
const flags = z.array(z.enum(['required', 'read-only', 'hidden', 'no-letter']));

const as = z.string().min(1).max(40).optional().describe('A name that others in the target refer to it by');

const keepSchema = z.strictObject({
  keep: z.int().min(1).describe('Number of the volume as inspect lists it'),
  size: size.optional(),
  start: size.optional().describe('Where it begins, from the start of the disk; left out, it stays or follows'),
  label: z.string().optional(),
  letter: letter.optional(),
  role: role.optional(),
  active: z.boolean().optional(),
  flags: flags.optional(),
  as,
});

const copySchema = z.strictObject({
  copy: z.int().min(1).describe('Number of the volume as inspect lists it on its own disk'),
  from: z
    .string()
    .min(1)
    .max(40)
    .optional()
    .describe('The disk it is on, by the name given for it; this one if left out'),
  size: size.optional().describe('Left out, it is as long as its original'),
  start: size.optional().describe('Where it begins, from the start of the disk; left out, it follows'),
  label: z.string().optional(),
  letter: letter.optional(),
  role: role.optional(),
  active: z.boolean().optional(),
  flags: flags.optional(),
  identity: z.enum(['new', 'keep']).default('new').describe('Whether it is another volume than its original'),
  as,
});

const createSchema = z.strictObject({
  create: z.string().describe('File system: fat12, fat16, fat32, exfat, ntfs, ext2, ext3, ext4, swap'),
  size: size.default('rest'),
  start: size.optional().describe('Where it begins, from the start of the disk; left out, it follows'),
  label: z.string().default(''),
  letter: letter.optional(),
  role: role.default('data'),
  clusterSize: clusterSize.optional().describe('Bytes'),
  options: z
    .record(z.string().max(40), z.union([z.boolean(), z.number(), z.string().max(100)]))
    .optional()
    .describe('Of ext: old, inodeRatio (bytes), reserved (percent), uuid. Of swap: uuid'),
  format: z.enum(['quick', 'full']).default('quick'),
  active: z.boolean().default(false),
  placement: z.enum(['primary', 'logical']).optional().describe('On an MBR; left to the number of entries'),
  flags: flags.optional(),
  as,
});

const findSchema = z.strictObject({
  find: z.int().min(1).describe('Number of the volume as find lists it'),
  label: z.string().optional(),
  letter: letter.optional(),
  role: role.optional(),
  active: z.boolean().optional(),
  as,
});

const pattern = z.enum(PATTERNS);
/** All, none, or one of so many. */
const share = z.string().regex(/^(all|none|1\/[1-9][0-9]{0,5})$/);

const wipeSchema = z.strictObject({
  what: z.enum(['unallocated', 'free', 'volume', 'disk']).describe('What is written over'),
  volume: z.int().min(1).optional().describe('Of free: a volume that is kept. Of volume: one that is removed'),
  pattern: z
    .union([pattern, z.array(pattern).min(1).max(35)])
    .default('zeros')
    .describe('What it is written over with, or a list of passes'),
  compare: share.default('all').describe('How much is read back and compared: all, none, 1/10'),
});

const gapSchema = z.strictObject({ gap: size });

const path = z.string().max(32_000);

const transferSchema = z.strictObject({
  from: z.strictObject({
    disk: z.string().min(1).max(40).optional().describe('The name given for it; this one if left out'),
    volume: z.int().min(1).describe('Number of the volume as inspect lists it on its own disk'),
  }),
  folder: path.describe('Which folder; empty for everything on the volume'),
  to: z.string().min(1).max(40).describe('The volume it goes to, by its “as”'),
  under: path.optional().describe('The path that the folder itself gets; its own name if left out'),
  then: z
    .enum(['keep', 'remove', 'back'])
    .default('keep')
    .describe('Whether it stays where it was as well, is taken away there, or is brought back when all else is done'),
  leave: z.literal('link').optional().describe('Where it is taken away, a link to its new place stays'),
});

export const targetSchema = z.strictObject({
  table: z.enum(['none', 'mbr', 'gpt']).optional().describe('The kind of table; as it is when left out'),
  volumes: z.array(z.union([keepSchema, copySchema, createSchema, findSchema, gapSchema])).max(64),
  transfers: z.array(transferSchema).max(200).default([]),
  wipe: z.array(wipeSchema).max(100).default([]),
  checkAtNextStart: z.boolean().default(false).describe('Has the owners of changed volumes check them at next start'),
  retireFailing: z
    .boolean()
    .default(false)
    .describe('Takes places that a scan found failing out of use: what lies there is carried elsewhere'),
  mendTable: z.boolean().default(false).describe('Writes the table again, whole, though no volume changes'),
  mend: z.boolean().default(false).describe('Mends what can be mended on its volumes'),
  remove: z.array(z.int().min(1)).default([]).describe('Numbers of volumes that may be lost'),
});

/** A target as it may be written. */
export type TargetInput = z.input<typeof targetSchema>;
export type Target = z.output<typeof targetSchema>;
export type TargetEntry = Target['volumes'][number];

/** Checks a target. @throws CoreError `target.invalid` */
export function parseTarget(input: unknown): Target {
  const result = targetSchema.safeParse(input);
  if (result.success) return result.data;
  const issue = result.error.issues[0]!;
  throw invalid(`${issue.path.join('.') || 'the whole'}: ${issue.message}`);
}

/** A target that says what can't be. */
export const invalid = (reason: string): CoreError => new CoreError('target.invalid', { reason });
