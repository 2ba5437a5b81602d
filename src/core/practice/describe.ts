/**
 * A disk described by hand: what a technician reads off a customer's machine, as the recipe of a practice disk with the
 * same geometry and fill, so that a job can be planned and rehearsed without an image.
 */
import { CoreError } from '@/core/errors';
import { abilitiesOf, findKind } from '@/core/fs';
import { readSize } from '@/core/size';
import * as z from 'zod';
import { parseRecipe, type Recipe, type RecipeFill } from './recipe';

const size = z.string().min(1).max(40);

const describedVolumeSchema = z.strictObject({
  size: size.default('rest'),
  used: size.default('0 B'),
  fileSystem: z.string(),
  label: z.string().default(''),
  letter: z
    .string()
    .regex(/^[A-Z]$/)
    .optional(),
  role: z.enum(['system', 'data', 'firmware', 'recovery', 'foreign', 'swap']).default('data'),
  active: z.boolean().default(false),
});

const descriptionSchema = z.strictObject({
  name: z.string().trim().min(1).max(60),
  medium: z.enum(['hdd', 'ssd', 'nvme', 'usb', 'card']),
  model: z.string().max(80).default(''),
  size,
  sectorSize: z.union([z.literal(512), z.literal(4096)]).default(512),
  table: z.enum(['mbr', 'gpt', 'none']),
  volumes: z.array(describedVolumeSchema).max(64),
});

export type Description = z.input<typeof descriptionSchema>;

/** How what is in use is spread: a share of it in files of this size, from this place on. */
const SPREAD = [
  { folder: 'Many small files', share: 0.06, each: 400 * 1024, most: 1500, near: 0, fragments: 1 },
  { folder: 'Pictures and documents', share: 0.3, each: 8 * 1024 * 1024, most: 3000, near: 0.25, fragments: 3 },
  { folder: 'Large files', share: 0.5, each: 900 * 1024 * 1024, most: 400, near: 0.5, fragments: 6 },
] as const;
/** What is left of what is in use lies far out, as old archives do. */
const FAR = { file: 'Far out/archive.bin', near: 0.88, fragments: 12 };

/** @throws CoreError `recipe.invalid` naming the first fault and where it is */
export function recipeFrom(input: Description, id: string): Recipe {
  const result = descriptionSchema.safeParse(input);
  if (!result.success) {
    const issue = result.error.issues[0]!;
    throw new CoreError('recipe.invalid', { reason: `${issue.path.join('.') || 'the whole'}: ${issue.message}` });
  }
  const { volumes, ...disk } = result.data;
  return parseRecipe({
    version: 1,
    id,
    ...disk,
    volumes: volumes.map(({ used, ...volume }) => {
      if (findKind(volume.fileSystem) === undefined) return { ...volume, fileSystem: 'unknown', used };
      // What takes no files is only made.
      const bytes = abilitiesOf(volume.fileSystem).write ? readSize(used, { whole: 0 }).bytes : 0;
      return { ...volume, fill: fillFor(bytes) };
    }),
  });
}

const LEAST_FILES = 32;
const SMALL = 4096;

function fillFor(bytes: number): RecipeFill[] {
  const out: RecipeFill[] = [];
  let left = bytes;
  for (const { folder, share, each, most, near, fragments } of SPREAD) {
    const part = bytes * share;
    // With few files their sizes would be far from what they are on average.
    const count = Math.min(most, Math.max(Math.floor(part / each), Math.min(LEAST_FILES, Math.floor(part / SMALL))));
    if (count === 0) continue;
    const size = Math.floor(part / count);
    // Sizes lean towards the small end, so that on average a file has a third of the way to the largest.
    const [smallest, largest] = [Math.floor(size * 0.5), Math.floor(size * 2)];
    const name = '{word} {nnnn}.dat';
    out.push({ folder, count, name, smallest: `${smallest} B`, largest: `${largest} B`, near, fragments });
    left -= part;
  }
  if (left >= 1) out.push({ file: FAR.file, size: `${Math.floor(left)} B`, near: FAR.near, fragments: FAR.fragments });
  return out;
}
