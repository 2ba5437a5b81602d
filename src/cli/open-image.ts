/** Opening an image for looking at it, and reading JSON files. */
import { isCoreError } from '@/core/errors';
import { ImageDevice, type Spill } from '@/core/image';
import type { OpenVolume } from '@/core/inspect';
import { openImageDevice, Session, type OpenedDevice } from '@/core/session';
import { type Files, FileSource, makeSpill, readWhole } from './files';
import { dirname, join } from 'node:path';
import { UsageError } from './output';

export interface OpenImage {
  readonly device: ImageDevice;
  readonly session: Session;
  /** Set when the file is a container and not the disk's bytes themselves. */
  readonly packed: boolean;
  close(): Promise<void>;
}

/** How an image is to be opened. */
export interface ImageOptions {
  readonly sectorSize?: string;
  /** Which file of an archive it is. */
  readonly inside?: string;
  /** Takes what begins like nothing that is known for a disk whose table is gone. */
  readonly tableless?: boolean;
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
  { sectorSize, inside, tableless = false }: ImageOptions,
  how?: 'device only',
): Promise<OpenImage | ImageOnly> {
  const asked = sectorSize === undefined ? undefined : readSectorSize(sectorSize);
  const file = await FileSource.open(files, path);
  const others: { close(): Promise<void> }[] = [];
  const close = async (): Promise<void> => {
    for (const one of [file, ...others]) await one.close();
  };
  /** What an image names stands beside it, and is only read. */
  const beside = async (name: string): Promise<FileSource | undefined> => {
    const next = join(dirname(path), name);
    if (!(await files.facts(next))) return undefined;
    const found = await FileSource.open(files, next);
    others.push(found);
    return found;
  };
  const spill = async (): Promise<Spill> => {
    const made = await makeSpill(files);
    others.push(made);
    return made;
  };
  try {
    const { device, packed, remarks } = file.sectorSize
      ? ownDevice(file, file.sectorSize, asked)
      : await openImageDevice(file, { inside, sectorSize: asked, beside, spill });
    if (how) return { device, close };
    const session = await Session.open(device, path, tableless, remarks);
    return { device, session, packed, close };
  } catch (error) {
    await close();
    throw error;
  }
}

/** A disk of the machine, which is nobody’s container and knows its sectors. @throws UsageError */
function ownDevice(file: FileSource, sectorSize: number, asked: number | undefined): OpenedDevice {
  if (asked !== undefined && asked !== sectorSize)
    throw new UsageError(`The sectors of ${file.name} have ${sectorSize} bytes, as the system says, not ${asked}.`);
  return { device: new ImageDevice(file, sectorSize), packed: false, remarks: [] };
}

function readSectorSize(text: string): number {
  if (text !== '512' && text !== '4096') throw new UsageError(`A sector has 512 or 4096 bytes, not ${text}.`);
  return Number(text);
}

/** The volume of a number with the window it lies in. @throws UsageError, CoreError `fs.damaged` */
export async function openVolume({ session }: OpenImage, text: string): Promise<OpenVolume & { number: number }> {
  const number = Number(text);
  if (!session.survey.volumes.some((v) => v.number === number))
    throw new UsageError(`There is no volume ${text} on the disk.`);
  try {
    return { ...(await session.volume(number)), number };
  } catch (error) {
    if (isCoreError(error, 'fs.unknown')) throw new UsageError(`The file system of volume ${text} is not known.`);
    throw error;
  }
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
