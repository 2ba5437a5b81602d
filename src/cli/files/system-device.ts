/** What only the system can do with a device: forget what it holds of it in memory, and read its table again. */
import { execFile } from 'node:child_process';
import { promisify } from 'node:util';

const blockdev = (what: string, device: string): Promise<unknown> => promisify(execFile)('blockdev', [what, device]);

/** What is read next comes from the medium. Where the system can’t, it is read from wherever it is. */
export async function forgetCached(device: string): Promise<void> {
  await blockdev('--flushbufs', device).catch(() => undefined);
}

/** Told, and no more, where the system can’t: a kernel that reads no tables has nothing to read again. */
export async function readTableAgain(device: string, tell: (text: string) => void): Promise<void> {
  try {
    await blockdev('--rereadpt', device);
  } catch (error) {
    // EINVAL says that the kernel reads no table of this device.
    if (/invalid argument/i.test(String((error as { stderr?: string }).stderr))) return;
    tell(`The system has not read the new table yet. Unplug ${device} and plug it in again, or restart.`);
  }
}
