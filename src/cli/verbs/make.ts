/** A disk image from a practice-disk recipe, and an image in another form. */
import { buildPracticeDisk, parseRecipe } from '@/core/practice';
import { formatSize } from '@/core/size';
import { assertApart, assertNew, holding, makeFile, systemFiles, writeImage } from '../files';
import { openImage, readJson, type ImageOptions } from '../open-image';
import { EXIT, print } from '../output';

export interface MakeOptions extends ImageOptions {
  readonly out: string;
  readonly json?: boolean;
}

export async function make(path: string, { out, json }: MakeOptions, files = systemFiles): Promise<number> {
  const recipe = parseRecipe(await readJson(files, path));
  await assertApart(files, out, path);
  await assertNew(files, out);
  const disk = await buildPracticeDisk(recipe);
  await makeFile(files, out, (file) => writeImage(disk, file, out));
  print({ version: 1, image: out, size: disk.size }, [`${recipe.name}: ${formatSize(disk.size)} in ${out}`], json);
  return EXIT.done;
}

/** An image in another form, by the name of the file it goes to: raw, gz or qcow2. */
export async function convert(path: string, options: MakeOptions, files = systemFiles): Promise<number> {
  const { out, json } = options;
  await assertApart(files, out, path);
  await assertNew(files, out);
  return holding(files, [{ path, mode: 'read' }], async () => {
    const image = await openImage(files, path, options);
    try {
      await makeFile(files, out, (file) => writeImage(image.device, file, out));
    } finally {
      await image.close();
    }
    const { size } = image.device;
    print({ version: 1, image: out, size }, [`${formatSize(size)} in ${out}`], json);
    return EXIT.done;
  });
}
