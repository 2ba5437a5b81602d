/** The drivers there are, in the order they are asked. A new file system is one line here. */
import type { BlockDevice } from '@/core/device';
import { CoreError, isCoreError } from '@/core/errors';
import { exfatDriver } from './exfat';
import { extDriver } from './ext';
import { fatDriver } from './fat';
import { guarded } from './guarded';
import { ntfsDriver } from './ntfs';
import { swapDriver } from './swap';
import type { FileSystemDriver, Mend, Trace } from './port';

const DRIVERS: readonly FileSystemDriver[] = [ntfsDriver, exfatDriver, fatDriver, extDriver, swapDriver].map(guarded);

const NOWHERE: readonly never[] = [];

/** What was recognised, before opening. */
export interface Probed {
  readonly driver: FileSystemDriver;
  readonly kind: string;
}

/** The first driver that knows what begins at the device's start. */
export async function probeFileSystem(device: BlockDevice): Promise<Probed | undefined> {
  for (const driver of DRIVERS) {
    const kind = await driver.probe(device);
    if (kind !== undefined) return { driver, kind };
  }
  return undefined;
}

/** The kind that a volume calls itself which no driver opens, and why it does not open. */
export async function namedFault(device: BlockDevice): Promise<{ kind: string; error: CoreError } | undefined> {
  for (const driver of DRIVERS) {
    const kind = await driver.named?.(device);
    if (kind === undefined) continue;
    const error = await driver.open(device).then(
      () => undefined,
      (reason: unknown) => reason,
    );
    if (isCoreError(error, 'fs.damaged')) return { kind, error };
  }
  return undefined;
}

/** What would mend the volume in a device, whatever it begins like, and whose it is then. */
export async function mendsIn(
  device: BlockDevice,
): Promise<{ driver: FileSystemDriver; mends: readonly Mend[] } | undefined> {
  const probed = await probeFileSystem(device);
  for (const driver of probed ? [probed.driver] : DRIVERS) {
    const mends = await driver.mends(device);
    if (mends.length > 0) return { driver, mends };
  }
  return undefined;
}

/**
 * Where volumes begin by what stands at an index of `bytes`, each with its driver.
 * @param at where that is on whatever is searched
 * @param ahead bytes that a driver is shown at most
 */
export function tracesIn(
  bytes: Uint8Array,
  index: number,
  at: number,
  ahead: number,
): readonly (Trace & { readonly driver: FileSystemDriver })[] {
  let out: (Trace & { readonly driver: FileSystemDriver })[] | undefined;
  for (const driver of DRIVERS) {
    if (!driver.mayTrace(bytes, index)) continue;
    const block = bytes.subarray(index, index + ahead);
    for (const trace of driver.traces(block, at)) (out ??= []).push({ ...trace, driver });
  }
  return out ?? NOWHERE;
}

/** The driver of a kind, if there is one. */
export function driverOf(kind: string): FileSystemDriver | undefined {
  return DRIVERS.find((driver) => driver.kinds.some((k) => k.kind === kind));
}
