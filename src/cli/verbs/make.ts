/** A disk image from a practice-disk recipe. */
import { buildPracticeDisk, parseRecipe, recipeSize } from '@/core/practice';
import { exportOccupied } from '@/core/image';
import { formatSize } from '@/core/size';
import { existsSync } from 'node:fs';
import { open } from 'node:fs/promises';
import { readJson } from '../open-image';
import { EXIT, print, UsageError } from '../output';

export interface MakeOptions {
  readonly out: string;
  readonly json?: boolean;
}

export async function make(path: string, options: MakeOptions): Promise<number> {
  const recipe = parseRecipe(await readJson(path));
  if (existsSync(options.out)) throw new UsageError(`${options.out} exists already.`);
  const disk = await buildPracticeDisk(recipe);
  const target = await open(options.out, 'wx');
  await target.truncate(recipeSize(recipe));
  for await (const { offset, bytes } of exportOccupied(disk)) await target.write(bytes, 0, bytes.length, offset);
  await target.close();
  print(
    { version: 1, image: options.out, size: disk.size },
    [`${recipe.name}: ${formatSize(disk.size)} in ${options.out}`],
    options.json,
  );
  return EXIT.done;
}
