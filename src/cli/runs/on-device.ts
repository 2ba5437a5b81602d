/** Runs on a disk of the machine itself: that it is the one that is meant, and where what the run needs is kept meanwhile. */
import { CoreError, isCoreError } from '@/core/errors';
import { HERE } from '@/core/place';
import { assertRewindable } from '@/core/run';
import { formatSize } from '@/core/size';
import { join } from 'node:path';
import { FileDevice, type DeviceFacts, type Files } from '../files';
import { UsageError } from '../output';
import { openUndo, undoOf } from './run-files';

/** How a person says that they mean a device, and where its journal goes. */
export interface DeviceCall {
  readonly iMean?: string;
  readonly journal?: string;
}

const same = (a: string, b: string): boolean => a.replace(/\s+/g, ' ').trim().toLowerCase() === b.toLowerCase();

/** What a device is meant by: its model or serial number, or the name below /dev where there is neither. */
const namesOf = ({ model, serial, name }: DeviceFacts): string[] => {
  const known = [model, serial].filter(Boolean);
  return known.length > 0 ? known : [name, `/dev/${name}`];
};

/** @throws UsageError unless the device is named as it names itself */
function assertMeant(device: DeviceFacts, path: string, meant: string | undefined): void {
  const names = namesOf(device);
  if (meant !== undefined && names.some((name) => same(meant, name))) return;
  const is = [
    `${path} is ${formatSize(device.size)}`,
    device.model && `model ${device.model}`,
    device.serial && `serial ${device.serial}`,
  ];
  throw new UsageError(`${is.filter(Boolean).join(', ')}. To write to it, say --i-mean "${names[0]}".`);
}

/** A name that the device keeps under whatever name the system has for it. */
export function keptName({ model, serial, size }: DeviceFacts): string {
  const own = serial ? `${model} ${serial}` : `disk ${size}`;
  return own.trim().replace(/[^A-Za-z0-9]+/g, '-');
}

/**
 * What the journal and the way back of a run on a device stand beside.
 * @throws UsageError where the device is not named, or the folder is not there or is on it
 */
export async function besideDevice(
  files: Files,
  path: string,
  device: DeviceFacts,
  { iMean, journal }: DeviceCall,
): Promise<string> {
  assertMeant(device, path, iMean);
  if (journal === undefined) throw new UsageError('Say --journal DIR, a folder on another disk.');
  const folder = await files.facts(journal);
  if (folder?.kind !== 'folder') throw new UsageError(`${journal} is no folder.`);
  if (folder.onDisk === (device.partOf ?? device.name))
    throw new UsageError(`${journal} is on the disk that is to be written. Name a folder on another disk.`);
  return join(journal, keptName(device));
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
