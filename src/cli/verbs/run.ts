/** The verb that writes: run, resume, rewind. The image that was named is written only with --in-place. */
import { assertApart, holding, readTableAgain, systemFiles, type Files, type Wanted } from '../files';
import { note, UsageError } from '../output';
import {
  assertPapers,
  besideDevice,
  besideIn,
  idsToWrite,
  resumeInPlace,
  resumeToCopy,
  rewindCopy,
  rewindInPlace,
  type RunCall,
  type RunOptions,
  startInPlace,
  startToCopy,
} from '../runs';
import { namedFiles, wantedOf } from '../with-disks';

export async function run(path: string, options: RunOptions, files = systemFiles): Promise<number> {
  if ((options.out === undefined) === !options.inPlace) throw new UsageError('Say either --out OUT or --in-place.');
  const rewinds = options.rewind === true;
  if (options.out !== undefined) await assertApart(files, options.out, path);
  await assertPapers(files, options.papers);
  const wanted: Wanted[] = options.inPlace
    ? [{ path, mode: 'write' }]
    : [
        { path, mode: 'read' },
        { path: options.out!, mode: 'write' },
      ];
  const named = namedFiles(options.with);
  const written = [options.out ?? path, ...(options.scratch === undefined ? [] : [options.scratch])];
  const act = actOf(options, rewinds);
  // What stands beside an image stands beside the file itself, by whatever link that was named.
  const image = options.inPlace ? await files.resolve(path) : path;
  const device = options.inPlace ? (await files.facts(image))?.device : undefined;
  const beside = device ? await besideDevice(files, image, device, options) : await besideImage(files, image, options);
  const call = { files, image, beside, onDevice: device !== undefined, options };
  const code = await holding(
    files,
    wanted,
    async () => {
      // Only whoever holds the image knows what stands beside it, and so which other disks are written.
      const others = await wantedOf(named, written, files, await idsToWrite(files, beside, options));
      return holding(files, others, () => act(call), tellStale);
    },
    tellStale,
  );
  if (device) await readTableAgain(image, note);
  return code;
}

/** What stands beside an image stands there, or in the folder that was named for it. */
async function besideImage(files: Files, image: string, { journal, inPlace }: RunOptions): Promise<string> {
  if (journal === undefined) return image;
  if (!inPlace)
    throw new UsageError('--journal is for runs in place. What a run into a new file needs stands beside that.');
  if ((await files.facts(journal))?.kind !== 'folder') throw new UsageError(`${journal} is no folder.`);
  return besideIn(journal, image);
}

function actOf({ inPlace, resume }: RunOptions, rewinds: boolean): (call: RunCall) => Promise<number> {
  if (rewinds) return inPlace ? rewindInPlace : rewindCopy;
  if (resume) return inPlace ? resumeInPlace : resumeToCopy;
  return inPlace ? startInPlace : startToCopy;
}

const tellStale = (path: string, pid: number): void =>
  note(`A run that held ${path} (process ${pid}) ended without letting go of it; it is held by this one now.`);
