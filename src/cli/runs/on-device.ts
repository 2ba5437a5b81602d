/** Runs on a disk of the machine itself: that it is the one that is meant, and where what the run needs is kept meanwhile. */
import { CoreError, isCoreError } from '@/core/errors';
import { HERE, type DiskId } from '@/core/place';
import { assertRewindable } from '@/core/run';
import { formatSize } from '@/core/size';
import { dirname, join } from 'node:path';
import { FileDevice, type DeviceFacts, type Files } from '../files';
import { UsageError } from '../output';
import { namedFiles } from '../with-disks';
import { openUndo, undoOf } from './run-files';

/** How a person says that they mean a device, and where its journal goes. */
export interface DeviceCall {
  readonly iMean?: readonly string[];
  readonly journal?: string;
  readonly with?: readonly string[];
}

const same = (a: string, b: string): boolean => a.replace(/\s+/g, ' ').trim().toLowerCase() === b.toLowerCase();

/** What a device is meant by: its model or serial number, or the name below /dev where there is neither. */
const namesOf = ({ model, serial, name }: DeviceFacts): string[] => {
  const known = [model, serial].filter(Boolean);
  return known.length > 0 ? known : [name, `/dev/${name}`];
};

/** What is said of the disk that is divided, or of another one by the name that the target has for it. */
function meantBy({ iMean = [], with: others }: DeviceCall, disk: DiskId): readonly string[] {
  const prefixes = namedFiles(others).map(({ name }) => `${name}=`);
  if (disk === HERE) return iMean.filter((text) => !prefixes.some((prefix) => text.startsWith(prefix)));
  return iMean.flatMap((text) => (text.startsWith(`${disk}=`) ? [text.slice(disk.length + 1)] : []));
}

/** @throws UsageError unless the device is named as it names itself, and nothing else is said of it */
function assertMeant(device: DeviceFacts, path: string, disk: DiskId, call: DeviceCall): void {
  const names = namesOf(device);
  const meant = meantBy(call, disk);
  if (meant.length > 0 && meant.every((text) => names.some((name) => same(text, name)))) return;
  const is = [
    `${path} is ${formatSize(device.size)}`,
    device.model && `model ${device.model}`,
    device.serial && `serial ${device.serial}`,
  ];
  throw new UsageError(
    `${is.filter(Boolean).join(', ')}. To write to it, say --i-mean "${disk === HERE ? '' : `${disk}=`}${names[0]}".`,
  );
}

/** A name that the device keeps under whatever name the system has for it. */
export function keptName({ model, serial, size }: DeviceFacts): string {
  const own = serial ? `${model} ${serial}` : `disk ${size}`;
  return own.trim().replace(/[^A-Za-z0-9]+/g, '-');
}

/**
 * What would stand beside another disk than the one that is divided: beside the file that it is, or in the folder of the
 * run's own journal where it is a disk of the machine.
 */
export async function besideOther(files: Files, path: string, beside: string): Promise<string> {
  const device = (await files.facts(path))?.device;
  return device ? join(dirname(beside), keptName(device)) : path;
}

/**
 * What the journal and the way back of a run on a device stand beside.
 * @throws UsageError where the device is not named, or the folder is not there or is on it
 */
export async function besideDevice(files: Files, path: string, device: DeviceFacts, call: DeviceCall): Promise<string> {
  assertMeant(device, path, HERE, call);
  const { journal } = call;
  if (journal === undefined) throw new UsageError('Say --journal DIR, a folder on another disk.');
  if ((await files.facts(journal))?.kind !== 'folder') throw new UsageError(`${journal} is no folder.`);
  await assertElsewhere(files, journal, device);
  return join(journal, keptName(device));
}

async function assertElsewhere(files: Files, folder: string, device: DeviceFacts): Promise<void> {
  if ((await files.facts(folder))?.onDisk === (device.partOf ?? device.name))
    throw new UsageError(`${folder} is on the disk that is to be written. Name a folder on another disk.`);
}

/**
 * That another disk which a run writes too may be written, where it is one of the machine.
 * @param beside what the run's journal stands beside
 * @throws UsageError where it is not named, or has the journal on it
 */
export async function assertAlsoMeant(
  files: Files,
  path: string,
  disk: DiskId,
  beside: string,
  call: DeviceCall,
): Promise<void> {
  const device = (await files.facts(path))?.device;
  if (!device) return;
  assertMeant(device, path, disk, call);
  await assertElsewhere(files, dirname(beside), device);
}

/**
 * A way back that is kept there may be another device’s, and would be lost.
 * @throws CoreError `journal.foreign` unless it is this device’s
 */
export async function assertOwnUndo(files: Files, path: string, beside: string): Promise<void> {
  const undo = await openUndo(files, beside);
  if (!undo) return;
  try {
    if (!undo.state || !('disk' in undo.state.of)) return;
    const disk = await FileDevice.open(files, path, undo.state.of.disk.sectorSize);
    try {
      await assertRewindable(new Map([[HERE, disk]]), undo.file, undo.state, undefined, 'those at hand');
    } finally {
      await disk.close();
    }
  } catch (error) {
    if (!isCoreError(error)) throw error;
    const reason = `${undoOf(beside)} is the way back of a disk that is not this one as its run left it; name another folder, or take it away`;
    throw new CoreError('journal.foreign', { reason }, error);
  } finally {
    await undo.file.close();
  }
}
