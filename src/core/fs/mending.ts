/** What drivers share to tell which of several readings of a damaged volume is the right one. */
import { PatchedDevice, type BlockDevice } from '@/core/device';
import { isCoreError } from '@/core/errors';
import type { Mend, Trace, Transaction, Volume } from './port';

/** Whether what begins at an index ends its first 512 bytes like a boot sector. */
export const isSigned = (bytes: Uint8Array, index: number): boolean =>
  bytes[index + 510] === 0x55 && bytes[index + 511] === 0xaa;

/** Bytes of a sector that a volume may be written for. */
export const SECTOR_SIZES: readonly number[] = [512, 1024, 2048, 4096];

/** Of a block that tells of no volume, as nearly all do. */
export const NO_TRACES: readonly Trace[] = [];

/** What is read where it makes sense, and undefined where it says that it is damaged. */
export function whereSound<T>(read: () => T): T | undefined {
  try {
    return read();
  } catch (error) {
    if (isCoreError(error, 'fs.damaged')) return undefined;
    throw error;
  }
}

/** The same of what has to be waited for. */
export async function whereOpen<T>(open: () => Promise<T>): Promise<T | undefined> {
  try {
    return await open();
  } catch (error) {
    if (isCoreError(error, 'fs.damaged') || isCoreError(error, 'fs.unknown')) return undefined;
    throw error;
  }
}

const ERROR_WEIGHT = 10_000;

/** Opens a volume of a driver's own, however damaged. */
type Open = (device: BlockDevice) => Promise<Pick<Volume, 'check'>>;

/**
 * How much is wrong with a volume once it is mended so; undefined where it can't be opened.
 * @param apart codes of findings that do not tell one reading from another
 */
async function wrongWith(
  device: BlockDevice,
  mends: readonly Mend[],
  open: Open,
  apart: ReadonlySet<string>,
): Promise<number | undefined> {
  const findings = await whereOpen(async () => (await open(new PatchedDevice(device, mends))).check());
  return findings
    ?.filter((f) => !apart.has(f.code))
    .reduce((sum, f) => sum + (f.severity === 'error' ? ERROR_WEIGHT : f.severity === 'warning' ? 1 : 0), 0);
}

/** Which of several ways leaves the least wrong, the first of equals; and whether another is as good. */
export async function bestOf<M extends readonly Mend[]>(
  device: BlockDevice,
  ways: readonly M[],
  open: Open,
  apart: ReadonlySet<string> = new Set(),
): Promise<{ way: M; sure: boolean } | undefined> {
  let best: { way: M; wrong: number; sure: boolean } | undefined;
  for (const way of ways) {
    const wrong = await wrongWith(device, way, open, apart);
    if (wrong === undefined) continue;
    if (!best || wrong < best.wrong) best = { way, wrong, sure: true };
    else if (wrong === best.wrong) best.sure = false;
  }
  return best;
}

/** Gathers the writes of a change that is only thought through, as mends of one thing. */
export class ThoughtThrough implements Transaction {
  readonly writes: { offset: number; bytes: Uint8Array }[] = [];

  constructor(private readonly device: BlockDevice) {}

  async read(offset: number, into: Uint8Array): Promise<void> {
    await new PatchedDevice(this.device, this.writes).read(offset, into);
  }

  async write(offset: number, from: Uint8Array): Promise<void> {
    this.writes.push({ offset, bytes: from.slice() });
  }

  copy = refused;
  copyFrom = refused;
  writeFree = refused;
  placeFree = refused;
  clearFree = refused;
}

/** @throws RangeError always */
function refused(): Promise<void> {
  throw new RangeError('what is only thought through writes nothing at once');
}

/** Of what would be written, what is not there already. */
export async function changesOf(
  device: BlockDevice,
  writes: readonly { offset: number; bytes: Uint8Array }[],
  words: Omit<Mend, 'offset' | 'bytes'>,
): Promise<Mend[]> {
  const out: Mend[] = [];
  for (const { offset, bytes } of writes) {
    const there = await device.bytes(offset, bytes.length);
    if (there.some((b, i) => b !== bytes[i])) out.push({ ...words, offset, bytes });
  }
  return out;
}
