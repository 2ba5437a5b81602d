/**
 * A file in which a run may set volumes aside. It is there only while a run needs it, says in its first MiB which run that
 * is, and is used and removed by that run alone. Which file it is, a person says each time; a journal never does.
 *
 * | offset | width | field                                                          |
 * |--------|-------|----------------------------------------------------------------|
 * | 8192   | 4096  | a frame as in logs: version, run, whether anything is in it yet |
 */
import type { BlockDevice } from '@/core/device';
import { CoreError } from '@/core/errors';
import type { Survey } from '@/core/inspect';
import { ALIGNMENT } from '@/core/layout';
import type { DiskId } from '@/core/place';
import { placesElsewhere, type Plan, type Scratch } from '@/core/plan';
import { frameRecord, readFrames } from '@/core/run';
import * as z from 'zod';
import {
  assertNew,
  FileDevice,
  makeFile,
  nameOfFile,
  readWhole,
  SCRATCH,
  writeWhole,
  type Files,
  type OpenFile,
} from '../files';

const HEADER_AT = 8192;
const HEADER_ROOM = 4096;

const headerSchema = z.strictObject({
  scratch: z.literal(1),
  run: z.string(),
  /** Set before anything is set aside in it. */
  used: z.boolean(),
});
type Header = z.output<typeof headerSchema>;

/** Room in a file that is yet to be made, as much as the whole disk could ask for. */
export function scratchIn(path: string | undefined, survey: Survey): readonly Scratch[] {
  if (path === undefined) return [];
  const { size: length, sectorSize } = survey;
  return [{ disk: SCRATCH, name: nameOfFile(path), start: ALIGNMENT, length, sectorSize }];
}

const lengthFor = (plan: Plan, sectorSize: number): number | undefined => {
  const end = placesElsewhere(plan).get(SCRATCH);
  return end && Math.ceil(end / sectorSize) * sectorSize;
};

async function readHeader(file: OpenFile): Promise<Header | undefined> {
  const bytes = new Uint8Array(HEADER_ROOM);
  const size = await readWhole(file, HEADER_AT, bytes);
  try {
    for await (const { record } of readFrames<unknown>(async (o, n) => bytes.subarray(o, o + n), size))
      return headerSchema.safeParse(record).data;
  } catch {
    // Whatever it is, it is no header of ours.
  }
  return undefined;
}

async function writeHeader(file: OpenFile, header: Header): Promise<void> {
  const bytes = new Uint8Array(HEADER_ROOM);
  bytes.set(frameRecord(0, header, new Uint8Array()));
  await writeWhole(file, HEADER_AT, bytes);
  await file.sync();
}

/** Makes the file that a plan needs; nothing where it needs none. @throws CoreError `file.exists` over any that is there */
export async function makeScratch(
  files: Files,
  path: string | undefined,
  plan: Plan,
  run: string,
): Promise<FileDevice | undefined> {
  const { sectorSize } = plan.relies;
  const length = lengthFor(plan, sectorSize);
  if (length === undefined) return undefined;
  // One that a run made and never used, since it was cut before it began, holds nothing.
  const left = await headerOf(files, path!);
  if (left && !left.used) await files.remove(path!);
  await assertNew(files, path!);
  // It has its name only once it says whose it is.
  await makeFile(files, path!, async (file) => {
    await file.truncate(length);
    await writeHeader(file, { scratch: 1, run, used: false });
  });
  return FileDevice.open(files, path!, sectorSize);
}

async function headerOf(files: Files, path: string): Promise<Header | undefined> {
  const found = await files.facts(path);
  if (found?.kind !== 'file') return undefined;
  const file = await files.open(path, 'read');
  try {
    return await readHeader(file);
  } finally {
    await file.close();
  }
}

async function setHeader(files: Files, path: string, header: Header): Promise<void> {
  const file = await files.open(path, 'change');
  try {
    await writeHeader(file, header);
  } finally {
    await file.close();
  }
}

/** Notes that something may be in it from now on. */
export function claimScratch(files: Files, path: string, run: string): Promise<void> {
  return setHeader(files, path, { scratch: 1, run, used: true });
}

/** The file of a run that is taken up. @throws CoreError `run.elsewhere` when none was named, or another */
export async function openScratch(
  files: Files,
  path: string | undefined,
  plan: Plan,
  run: string,
): Promise<FileDevice | undefined> {
  const [lent] = plan.lent;
  if (!lent) return undefined;
  const refuse = (reason: string): CoreError => new CoreError('run.elsewhere', { name: lent.name, reason });
  if (path === undefined) throw refuse('name it with --scratch');
  const header = await headerOf(files, path);
  if (header?.run !== run) throw refuse(`${path} is not the file of this run`);
  return FileDevice.open(files, path, plan.relies.sectorSize);
}

/** Takes the file of a run away, if it is that; anything else is left. */
export async function removeScratch(files: Files, path: string | undefined, run: string): Promise<void> {
  if (path !== undefined && (await headerOf(files, path))?.run === run) await files.remove(path);
}

/** The devices that a run works with beside its own: the file it sets volumes aside in, and disks that it copies from. */
export function othersOf(
  scratch: FileDevice | undefined,
  sources: ReadonlyMap<DiskId, BlockDevice>,
): ReadonlyMap<DiskId, BlockDevice> {
  return scratch ? new Map<DiskId, BlockDevice>([...sources, [SCRATCH, scratch]]) : sources;
}
