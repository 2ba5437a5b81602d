/** Opens the volume of an image, walks and checks it, in a process of its own: seconds, files, and memory as JSON. */
import { FileDevice } from '@/cli/files/file-device';
import { systemFiles } from '@/cli/files/files';
import { driverOf } from '@/core/fs';

/** Seconds, counts, and bytes. */
export interface Scanned {
  readonly files: number;
  readonly seconds: number;
  readonly check: number;
  readonly resident: number;
}

const disk = await FileDevice.open(systemFiles, process.argv[2]!, 512);
const driver = driverOf(process.argv[3]!)!;
const scan = async (): Promise<number> => {
  let files = 0;
  const volume = await driver.open(disk);
  for await (const entry of volume.walk()) if (entry.kind === 'file') files += 1;
  return files;
};
const check = async (): Promise<void> => {
  const found = (await (await driver.open(disk)).check()).filter((f) => f.severity === 'error');
  if (found.length > 0) throw new Error(found[0]!.message);
};
const timed = async (act: () => Promise<unknown>): Promise<number> => {
  const started = performance.now();
  await act();
  return (performance.now() - started) / 1000;
};
// Before it counts, since the readers it is compared with run on a warm cache and on code that is compiled long ago.
for (let i = 0; i < 2; i++) await scan();

let files = 0;
const seconds = await timed(async () => void (files = await scan()));
const resident = process.memoryUsage().rss;
await check();
const scanned: Scanned = { files, seconds, resident, check: await timed(check) };
process.stdout.write(JSON.stringify(scanned));
