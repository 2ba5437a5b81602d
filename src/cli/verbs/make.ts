/** A disk image from a practice-disk recipe, and an image in another form. */
import { buildPracticeDisk, parseRecipe } from '@/core/practice';
import { formatSize, parseSize, resolveSize } from '@/core/size';
import { assertApart, assertNew, holding, makeFile, systemFiles, writeImage, writeParts } from '../files';
import { openImage, readJson, type ImageOptions } from '../open-image';
import { EXIT, print, UsageError } from '../output';

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

interface ConvertOptions extends MakeOptions {
  /** How long each part is to be, where the image goes into several. */
  readonly parts?: string;
}

/** @throws UsageError, CoreError `size.*` */
function partSizeOf(text: string, out: string): number {
  if (!/\.001$/.test(out)) throw new UsageError('The first of several parts ends in .001.');
  return resolveSize(parseSize(text), { whole: 0 }).bytes;
}

/** An image in another form, by the name of the file it goes to: raw, gz, zip, qcow2, vhd or vhdx; or raw in parts. */
export async function convert(path: string, options: ConvertOptions, files = systemFiles): Promise<number> {
  const { out, json } = options;
  await assertApart(files, out, path);
  await assertNew(files, out);
  const partSize = options.parts === undefined ? undefined : partSizeOf(options.parts, out);
  return holding(files, [{ path, mode: 'read' }], async () => {
    const image = await openImage(files, path, options);
    try {
      if (partSize === undefined) await makeFile(files, out, (file) => writeImage(image.device, file, out));
      else await writeParts(files, image.device, out, partSize);
    } finally {
      await image.close();
    }
    const { size } = image.device;
    print({ version: 1, image: out, size }, [`${formatSize(size)} in ${out}`], json);
    return EXIT.done;
  });
}
