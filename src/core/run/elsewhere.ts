/** Places on other disks, where a run sets volumes aside. */
import { crc32 } from '@/core/bytes';
import type { BlockDevice } from '@/core/device';
import { CoreError } from '@/core/errors';
import type { ByteRange } from '@/core/fs';
import type { Elsewhere } from '@/core/plan';
import type { JournalStore } from './journal';
import type { CarryEnd } from './move-volume';

/** How much of what was set aside is looked at before it is brought back. */
const SEALED_BYTES = 64 * 1024;

/** The place for `length` bytes among the disks at hand. @throws CoreError `run.elsewhere` when it is not there */
export function placeElsewhere(
  disks: ReadonlyMap<string, BlockDevice> | undefined,
  { disk, name, start }: Elsewhere,
  length: number,
): CarryEnd {
  const device = disks?.get(disk);
  if (!device) throw new CoreError('run.elsewhere', { name, reason: 'it is not at hand' });
  if (start + length > device.size) throw new CoreError('run.elsewhere', { name, reason: 'it has become smaller' });
  return { device, start };
}

/** A checksum of the start of what was carried there, enough to tell another disk or another time from it. */
export async function sealOf({ device, start }: CarryEnd, ranges: readonly ByteRange[]): Promise<number> {
  const [first] = ranges;
  if (!first) return 0;
  return crc32(await device.bytes(start + first.start, Math.min(SEALED_BYTES, first.end - first.start)));
}

/** The checksum that a step kept, or undefined when it was not finished. */
export async function readSeal(journal: JournalStore, step: number): Promise<number | undefined> {
  let found: number | undefined;
  for await (const { record } of journal.entries())
    if (record.kind === 'parked' && record.step === step) found = record.seal;
  return found;
}
