/** Opening an image for looking at it, and reading JSON files. */
import { WindowDevice } from '@/core/device';
import { CoreError } from '@/core/errors';
import { probeFileSystem, type Volume } from '@/core/fs';
import { ImageDevice, openContainer } from '@/core/image';
import { detectSectorSize, mostBytesFor, surveyDisk, type Survey } from '@/core/inspect';
import { type Files, FileSource, readWhole } from './files';
import { UsageError } from './output';

export interface OpenImage {
  readonly device: ImageDevice;
  readonly survey: Survey;
  /** Set when the file is a container and not the disk's bytes themselves. */
  readonly packed: boolean;
  close(): Promise<void>;
}

/** How an image is to be opened. */
export interface ImageOptions {
  readonly sectorSize?: string;
  /** Which file of an archive it is. */
  readonly inside?: string;
}

/** An image without a look at what is in it. */
export type ImageOnly = Pick<OpenImage, 'device' | 'close'>;

/** Opens and surveys an image; it is only read. @throws CoreError `image.*`, `file.*` */
export async function openImage(files: Files, path: string, options: ImageOptions): Promise<OpenImage>;
export async function openImage(
  files: Files,
  path: string,
  options: ImageOptions,
  how: 'device only',
): Promise<ImageOnly>;
export async function openImage(
  files: Files,
  path: string,
  { sectorSize, inside }: ImageOptions,
  how?: 'device only',
): Promise<OpenImage | ImageOnly> {
  const asked = sectorSize === undefined ? undefined : readSectorSize(sectorSize);
  const file = await FileSource.open(files, path);
  const close = (): Promise<void> => file.close();
  try {
    const source = await openContainer(file, { inside, mostBytes: mostBytesFor });
    const device = new ImageDevice(source, asked ?? (await detectSectorSize(new ImageDevice(source, 512))));
    if (how) return { device, close };
    return { device, survey: await surveyDisk(device, path), packed: source !== file, close };
  } catch (error) {
    await close();
    throw error;
  }
}

function readSectorSize(text: string): number {
  if (text !== '512' && text !== '4096') throw new UsageError(`A sector has 512 or 4096 bytes, not ${text}.`);
  return Number(text);
}

/** The volume of a number with the window it lies in. @throws UsageError, CoreError `fs.unknown`, `fs.damaged` */
export async function openVolume(
  image: OpenImage,
  text: string,
): Promise<{ volume: Volume; window: WindowDevice; number: number }> {
  const number = Number(text);
  const found = image.survey.volumes.find((v) => v.number === number);
  if (!found) throw new UsageError(`There is no volume ${text} on the disk.`);
  if (found.start + found.length > image.device.size)
    throw new CoreError('fs.damaged', {
      fileSystem: found.info?.title ?? 'unknown',
      reason: 'the image ends before the volume does',
      offset: image.device.size,
    });
  const window = new WindowDevice(image.device, found.start, found.length);
  const probed = await probeFileSystem(window);
  if (!probed) throw new UsageError(`The file system of volume ${text} is not known.`);
  return { volume: await probed.driver.open(window), window, number };
}

/** More than any target or recipe has. */
const MOST_JSON_BYTES = 4 * 1024 * 1024;

/** A JSON file, with or without a byte order mark. @throws UsageError, CoreError `file.*` */
export async function readJson(files: Files, path: string): Promise<unknown> {
  const file = await files.open(path, 'read');
  try {
    const { kind, size } = await file.facts();
    if (kind !== 'file') throw new UsageError(`${path} is no file.`);
    if (size > MOST_JSON_BYTES) throw new UsageError(`${path} is larger than any target or recipe.`);
    const bytes = new Uint8Array(size);
    const length = await readWhole(file, 0, bytes);
    return JSON.parse(new TextDecoder().decode(bytes.subarray(0, length))) as unknown;
  } catch (cause) {
    if (cause instanceof SyntaxError) throw new UsageError(`${path} is not JSON: ${cause.message}`);
    throw cause;
  } finally {
    await file.close();
  }
}
