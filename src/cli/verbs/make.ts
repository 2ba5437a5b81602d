/** A disk image from a practice-disk recipe. */
import { buildPracticeDisk, parseRecipe } from '@/core/practice';
import { formatSize } from '@/core/size';
import { existsSync } from 'node:fs';
import { writeOut } from '../files/copy-image';
import { openImage, readJson } from '../open-image';
import { EXIT, print, UsageError } from '../output';

export interface MakeOptions {
  readonly out: string;
  readonly json?: boolean;
}

export async function make(path: string, options: MakeOptions): Promise<number> {
  const recipe = parseRecipe(await readJson(path));
  if (existsSync(options.out)) throw new UsageError(`${options.out} exists already.`);
  const disk = await buildPracticeDisk(recipe);
  await writeOut(disk, options.out);
  print(
    { version: 1, image: options.out, size: disk.size },
    [`${recipe.name}: ${formatSize(disk.size)} in ${options.out}`],
    options.json,
  );
  return EXIT.done;
}

/** An image in another form, by the name of the file it goes to: raw, gz or qcow2. */
export async function convert(path: string, options: MakeOptions): Promise<number> {
  if (existsSync(options.out)) throw new UsageError(`${options.out} exists already.`);
  const image = await openImage(path);
  await writeOut(image.device, options.out);
  await image.close();
  const { size } = image.device;
  print({ version: 1, image: options.out, size }, [`${formatSize(size)} in ${options.out}`], options.json);
  return EXIT.done;
}
