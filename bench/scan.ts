/** Opens the volume of an image and walks it, in a process of its own: seconds, files, and memory as JSON. */
import { FileDevice } from '@/cli/files/file-device';
import { systemFiles } from '@/cli/files/files';
import { driverOf } from '@/core/fs';

const disk = await FileDevice.open(systemFiles, process.argv[2]!, 512);
const scan = async (): Promise<number> => {
  let files = 0;
  const volume = await driverOf(process.argv[3]!)!.open(disk);
  for await (const entry of volume.walk()) if (entry.kind === 'file') files += 1;
  return files;
};
// Before it counts, since the readers it is compared with run on a warm cache and on code that is compiled long ago.
for (let i = 0; i < 2; i++) await scan();

const started = performance.now();
const files = await scan();
const seconds = (performance.now() - started) / 1000;
process.stdout.write(JSON.stringify({ files, seconds, resident: process.memoryUsage().rss }));
