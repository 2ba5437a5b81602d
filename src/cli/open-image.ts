/** Opening an image for looking at it, and reading JSON files. */
import { WindowDevice } from '@/core/device';
import { probeFileSystem, type Volume } from '@/core/fs';
import { ImageDevice, openContainer } from '@/core/image';
import { detectSectorSize, surveyDisk, type Survey } from '@/core/inspect';
import { readFile } from 'node:fs/promises';
import { FileSource } from './files/file-device';
import { UsageError } from './output';

export interface OpenImage {
  readonly device: ImageDevice;
  readonly survey: Survey;
  /** Set when the file is a container and not the disk's bytes themselves. */
  readonly packed: boolean;
  close(): Promise<void>;
}

/** Opens and surveys an image; it is only read. @throws CoreError `image.*` */
export async function openImage(path: string, sectorSize?: string): Promise<OpenImage> {
  const file = await FileSource.open(path);
  const source = await openContainer(file);
  const size =
    sectorSize === undefined ? await detectSectorSize(new ImageDevice(source, 512)) : readSectorSize(sectorSize);
  const device = new ImageDevice(source, size);
  return { device, survey: await surveyDisk(device, path), packed: source !== file, close: () => file.close() };
}

function readSectorSize(text: string): number {
  if (text !== '512' && text !== '4096') throw new UsageError(`A sector has 512 or 4096 bytes, not ${text}.`);
  return Number(text);
}

/** The volume of a number with the window it lies in. */
export async function openVolume(
  image: OpenImage,
  text: string,
): Promise<{ volume: Volume; window: WindowDevice; number: number }> {
  const number = Number(text);
  const found = image.survey.volumes.find((v) => v.number === number);
  if (!found) throw new UsageError(`There is no volume ${text} on the disk.`);
  const window = new WindowDevice(image.device, found.start, Math.min(found.length, image.device.size - found.start));
  const probed = await probeFileSystem(window);
  if (!probed) throw new UsageError(`The file system of volume ${text} is not known.`);
  return { volume: await probed.driver.open(window), window, number };
}

/** A JSON file. */
export async function readJson(path: string): Promise<unknown> {
  const text = await readFile(path, 'utf8');
  try {
    return JSON.parse(text);
  } catch (cause) {
    throw new UsageError(`${path} is not JSON: ${(cause as Error).message}`);
  }
}
