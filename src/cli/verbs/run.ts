/** The verb that writes: run, resume, rewind. The image that was named is written only with --in-place. */
import { holding, type Wanted } from '../files/locks';
import { systemFiles } from '../files/files';
import { assertApart } from '../files/new-file';
import { note, UsageError } from '../output';
import { resumeInPlace, startInPlace } from '../runs/in-place';
import { rewindCopy, rewindInPlace } from '../runs/rewind';
import type { RunCall, RunOptions } from '../runs/run-options';
import { resumeToCopy, startToCopy } from '../runs/to-copy';

export async function run(path: string, options: RunOptions, files = systemFiles): Promise<number> {
  if ((options.out === undefined) === !options.inPlace) throw new UsageError('Say either --out OUT or --in-place.');
  const rewinds = options.rewind === true;
  if (!rewinds && !options.resume && options.target === undefined)
    throw new UsageError('Say --target T.json, --resume or --rewind.');
  if (options.out !== undefined) await assertApart(files, options.out, path);
  const wanted: Wanted[] = options.inPlace
    ? [{ path, mode: 'write' }]
    : [
        { path, mode: 'read' },
        { path: options.out!, mode: 'write' },
      ];
  const act = actOf(options, rewinds);
  // What stands beside an image stands beside the file itself, by whatever link that was named.
  const image = options.inPlace ? await files.resolve(path) : path;
  return holding(files, wanted, () => act({ files, image, options }), tellStale);
}

function actOf({ inPlace, resume }: RunOptions, rewinds: boolean): (call: RunCall) => Promise<number> {
  if (rewinds) return inPlace ? rewindInPlace : rewindCopy;
  if (resume) return inPlace ? resumeInPlace : resumeToCopy;
  return inPlace ? startInPlace : startToCopy;
}

const tellStale = (path: string, pid: number): void =>
  note(`A run that held ${path} (process ${pid}) ended without letting go of it; it is held by this one now.`);
