/**
 * Other disks that a run in place writes too, since files are taken away from volumes there: image files, and disks of the
 * machine. They are held for this run alone, and what is overwritten of them is kept with what is of the image.
 */
import { CoreError } from '@/core/errors';
import type { DiskId } from '@/core/place';
import { alsoWritten, type Plan } from '@/core/plan';
import { FileDevice, type Files } from '../files';
import { UsageError } from '../output';
import { askedOf } from '../plan-for';
import { namedFiles, type NamedFile, type WithDisks } from '../with-disks';
import { assertAlsoMeant } from './on-device';
import { openJournal, unlessOthers } from './run-files';
import type { RunOptions } from './run-options';

/** Which of them a run, or a rewinding, is going to write, known before anything of them is opened. */
export async function idsToWrite(files: Files, beside: string, options: RunOptions): Promise<ReadonlySet<DiskId>> {
  if (!options.inPlace || !options.with?.length) return new Set();
  // They are named because the run wrote them.
  if (options.rewind === true) return new Set(namedFiles(options.with).map((n) => n.name));
  if (options.resume) return new Set(await idsLeft(files, beside));
  const asked = await askedOf(files, options);
  const transfers = asked.kind === 'target' ? asked.target.transfers : [];
  return new Set(
    transfers.flatMap(({ from, then }) => (from.disk !== undefined && then === 'remove' ? [from.disk] : [])),
  );
}

/** What the journal of a run that was begun says of them. */
async function idsLeft(files: Files, beside: string): Promise<DiskId[]> {
  const journal = await openJournal(files, beside).catch(unlessOthers);
  await journal?.file.close();
  return journal?.state ? alsoWritten(journal.state.plan).map((o) => o.disk) : [];
}

/** A disk that is written too. */
interface ToWrite {
  readonly disk: DiskId;
  readonly sectorSize: number;
}

/** Such disks, open. The caller closes them. */
export interface AlsoWritten {
  readonly devices: ReadonlyMap<DiskId, FileDevice>;
  /** The files that they are. */
  readonly paths: readonly string[];
  close(): Promise<void>;
}

/**
 * @param beside what the run's journal stands beside
 * @throws UsageError where one was not named, or is a disk of the machine that is not meant
 */
export async function openToWrite(
  files: Files,
  wanted: readonly ToWrite[],
  beside: string,
  options: Pick<RunOptions, 'with' | 'iMean'>,
): Promise<AlsoWritten> {
  const named = namedFiles(options.with);
  const devices = new Map<DiskId, FileDevice>();
  const paths: string[] = [];
  const close = async (): Promise<void> => {
    for (const device of devices.values()) await device.close().catch(() => undefined);
  };
  try {
    for (const { disk, sectorSize } of wanted) {
      const path = fileOf(named, disk);
      await assertAlsoMeant(files, path, disk, beside, options);
      devices.set(disk, await FileDevice.open(files, path, sectorSize));
      paths.push(path);
    }
  } catch (error) {
    await close();
    throw error;
  }
  return { devices, paths, close };
}

function fileOf(named: readonly NamedFile[], disk: DiskId): string {
  const path = named.find((n) => n.name === disk)?.path;
  if (path === undefined) throw new UsageError(`Name the disk ${disk} again, with --with ${disk}=FILE.`);
  return path;
}

/** The disks of a plan that are written too. */
export const toWriteIn = (plan: Plan): ToWrite[] =>
  alsoWritten(plan).map(({ disk, relies }) => ({ disk, sectorSize: relies.sectorSize }));

/** @throws CoreError `plan.refused`, UsageError where what would be written can't be */
export function assertWritable(plan: Plan, disks: WithDisks, inPlace: boolean | undefined): void {
  for (const { disk, name } of alsoWritten(plan)) {
    if (!inPlace) {
      const reason = `Files are taken away from ${name}, which is only read where --out is said. Say --in-place, or copy them.`;
      throw new CoreError('plan.refused', { reason });
    }
    if (disks.packed.has(disk)) throw new UsageError(`${name} is packed, and can’t be written itself.`);
  }
}
