/** Transactions on a disk that nobody relies on yet: a practice disk being built. No journal is kept. */
import type { BlockDevice } from '@/core/device';
import type { ByteRange, Transaction } from '@/core/fs';
import { StepTransaction } from './step-transaction';

/** Runs `act` with a transaction on the volume that begins at `start` and applies what it gathers. */
export async function applyNow(
  disk: BlockDevice,
  start: number,
  live: readonly ByteRange[],
  act: (tx: Transaction) => Promise<void>,
): Promise<void> {
  const tx = new StepTransaction(disk, start, live);
  await act(tx);
  for (const { offset, bytes } of tx.runs()) await disk.write(offset, bytes);
}

/** Writes the first sector of a disk that is being built. */
export async function writeFirstSector(disk: BlockDevice, sector: Uint8Array): Promise<void> {
  await disk.write(0, sector);
}
