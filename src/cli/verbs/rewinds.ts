/** The ways back that are kept of runs in place: what each takes, and a choice to drop them. */
import { formatSize } from '@/core/size';
import { holding, systemFiles } from '../files';
import { EXIT, print, UsageError } from '../output';
import { besideIn, dropWaysBack, keptName, waysBack } from '../runs';

interface RewindsOptions {
  readonly journal?: string;
  /** The number of the newest that goes; older ones are of no use without it and go with it. */
  readonly drop?: string;
  readonly json?: boolean;
}

export async function rewinds(path: string, options: RewindsOptions, files = systemFiles): Promise<number> {
  const { journal, drop, json } = options;
  const image = await files.resolve(path);
  const device = (await files.facts(image))?.device;
  if (device && journal === undefined) throw new UsageError('Say --journal DIR, where the run kept its way back.');
  const beside = journal === undefined ? image : besideIn(journal, device ? keptName(device) : image);
  return holding(files, [{ path, mode: drop === undefined ? 'read' : 'write' }], async () => {
    const kept = await waysBack(files, beside);
    const from = drop === undefined ? kept.length : Number(drop) - 1;
    if (!Number.isInteger(from) || from < 0 || (drop !== undefined && from >= kept.length))
      throw new UsageError(`There is no way back ${drop} to drop.`);
    await dropWaysBack(files, kept.slice(from));
    const rest = kept
      .slice(0, from)
      .map(({ bytes, kept: at }, i) => ({ number: i + 1, bytes, kept: new Date(at).toISOString() }));
    const words = rest.map((w) => `${w.number}  ${formatSize(w.bytes)}  ${w.kept}`);
    print({ version: 1, rewinds: rest }, words.length > 0 ? words : ['No run can be taken back.'], json);
    return EXIT.done;
  });
}
