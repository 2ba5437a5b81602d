/** Transactions on a disk that nobody relies on yet: a practice disk being built. No journal is kept. */
import type { BlockDevice } from '@/core/device';
import type { ByteRange, Transaction } from '@/core/fs';
import { tableWrites, type DiskTable } from '@/core/table';
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

/** Writes the table of a disk that is being built. */
export async function writeTable(disk: BlockDevice, table: DiskTable): Promise<void> {
  for (const { offset, bytes } of await tableWrites(disk, table)) await disk.write(offset, bytes);
}

/** Puts made-up content of nobody's file system on a disk that is being built. */
export async function placeContent(disk: BlockDevice, offset: number, length: number, seed: number): Promise<void> {
  await disk.place(offset, length, seed, 0);
}
