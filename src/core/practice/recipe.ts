/** The recipe of a practice disk: versioned data, checked on reading. Sizes are in the size grammar. */
import { isGuid } from '@/core/bytes';
import { CoreError } from '@/core/errors';
import * as z from 'zod';

const size = z.string().min(1).max(40);
const share = z.number().min(0).max(1);

/** Whose files are, where the kind has owners. */
const owner = {
  mode: z
    .string()
    .regex(/^[0-7]{3,4}$/)
    .optional()
    .describe('In octal'),
  user: z.int().min(0).max(0xffffffff).optional(),
  group: z.int().min(0).max(0xffffffff).optional(),
};

const fileSchema = z.strictObject({
  file: z.string().min(1).max(4000).describe('Path from the root, with / between names'),
  text: z.string().max(100_000).optional().describe('Content in words'),
  link: z.string().min(1).max(4000).optional().describe('It is a symbolic link to this path, where the kind has them'),
  ...owner,
  size: size.optional().describe('Content made up, this long'),
  near: share.optional().describe('Where on the volume: 0 its start, 1 its end'),
  fragments: z.int().min(1).max(100_000).optional(),
  attributes: z.array(z.string()).max(20).optional(),
  modified: z.string().optional(),
});

const treeSchema = z.strictObject({
  folder: z.string().max(4000).describe('Folder to fill, made with all above it; empty for the root'),
  count: z.int().min(1).max(1_000_000),
  name: z.string().min(1).max(255).describe('{n} is the number, {nn} to {nnnnnn} pad it, {word} a made-up word'),
  subfolders: z.array(z.string().min(1).max(255)).max(1000).optional().describe('Spread evenly over these subfolders'),
  smallest: size,
  largest: size,
  near: share.optional(),
  fragments: z.int().min(1).max(100_000).optional().describe('Every fourth file is cut into this many pieces'),
  ...owner,
  from: z.string().optional().describe('Earliest date'),
  to: z.string().optional().describe('Latest date'),
});

const speedSchema = z.strictObject({
  read: z.number().positive().describe('MB/s'),
  write: z.number().positive().describe('MB/s'),
  seek: z.number().min(0).describe('Milliseconds from one place to another'),
});

const stretchSchema = z.strictObject({
  at: size.describe('From the start of the disk'),
  sectors: z.int().min(1).max(1_000_000).default(8),
});

const volumeSchema = z.strictObject({
  size: size.default('rest'),
  start: size.optional().describe('Defaults to the end of the volume before'),
  fileSystem: z.string().describe('A kind that can be made, or unknown for content that is nobody’s business'),
  used: size.optional().describe('How much of unknown content there is'),
  role: z.enum(['system', 'data', 'firmware', 'recovery', 'foreign', 'swap']).default('data'),
  placement: z.enum(['primary', 'logical']).optional(),
  type: z.int().min(1).max(255).optional().describe('MBR type code; from role and file system when left out'),
  typeGuid: z.string().refine(isGuid, 'a GUID in capitals').optional(),
  flags: z.array(z.enum(['required', 'read-only', 'hidden', 'no-letter'])).optional(),
  tableName: z.string().max(36).optional().describe('Its name in a GUID table'),
  label: z.string().default(''),
  letter: z
    .string()
    .regex(/^[A-Z]$/)
    .optional(),
  clusterSize: z
    .int()
    .min(512)
    .max(2 ** 25)
    .refine((n) => Number.isInteger(Math.log2(n)), 'a power of two')
    .optional(),
  active: z.boolean().optional(),
  fill: z
    .array(z.union([fileSchema, treeSchema]))
    .max(1000)
    .default([]),
});

const recipeSchema = z.strictObject({
  version: z.literal(1),
  id: z.string().regex(/^[a-z0-9-]+$/),
  name: z.string().min(1).max(60),
  medium: z.enum(['hdd', 'ssd', 'nvme', 'usb', 'card']),
  model: z.string().max(80).default(''),
  size,
  sectorSize: z.union([z.literal(512), z.literal(4096)]).default(512),
  table: z.enum(['mbr', 'gpt', 'none']),
  volumes: z.array(volumeSchema).max(64),
  speed: speedSchema.optional().describe('Instead of what the medium usually does'),
  weak: z.array(stretchSchema).max(1000).default([]).describe('Sectors that are read slowly, at the third try'),
  dead: z.array(stretchSchema).max(1000).default([]).describe('Sectors that can’t be read'),
});

/** More files than a practice disk is built with in a time that anybody waits. */
const MOST_FILES = 2_000_000;

/** A recipe with its defaults filled in. */
export type Recipe = z.output<typeof recipeSchema>;
/** A recipe as it may be written. */
export type RecipeInput = z.input<typeof recipeSchema>;
export type RecipeVolume = Recipe['volumes'][number];
export type RecipeFill = RecipeVolume['fill'][number];

/** Checks a recipe. @throws CoreError `recipe.invalid` naming the first fault and where it is */
export function parseRecipe(input: unknown): Recipe {
  const result = recipeSchema.safeParse(input);
  if (!result.success) {
    const issue = result.error.issues[0]!;
    throw invalid(`${issue.path.join('.') || 'the whole'}: ${issue.message}`);
  }
  const { volumes } = result.data;
  const letters = volumes.flatMap((v) => v.letter ?? []);
  const twice = letters.find((letter, i) => letters.indexOf(letter) !== i);
  if (twice) throw invalid(`two volumes have the letter ${twice}`);
  const files = volumes.flatMap((v) => v.fill).reduce((sum, f) => sum + ('count' in f ? f.count : 1), 0);
  if (files > MOST_FILES) throw invalid(`it asks for ${files} files, more than ${MOST_FILES}`);
  return result.data;
}

const invalid = (reason: string): CoreError => new CoreError('recipe.invalid', { reason });
