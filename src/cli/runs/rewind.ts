/** Putting back what a run has done, and nothing that a run of ours has not. Everything is compared before anything is touched. */
import { CoreError } from '@/core/errors';
import { HERE } from '@/core/place';
import { assertRewindable, hasWritten, rewindDisks } from '@/core/run';
import { formatSize } from '@/core/size';
import { FileDevice } from '../files';
import { removeScratch } from '../kept';
import { EXIT, print } from '../output';
import { assertWhole, markAlso, unmarkAlso } from './also-marks';
import { openToWrite, type AlsoWritten } from './also-written';
import { copyId, madeId, openJournal, openUndo, undoOf, workOf, type OpenJournal, type OpenUndo } from './run-files';
import type { RunCall } from './run-options';
import { bringForward } from './ways-back';

const nothing = (reason: string): CoreError => new CoreError('run.nothing-to-rewind', { reason });

/** Puts an image back as it was before the last run in place. */
export async function rewindInPlace(call: RunCall): Promise<number> {
  const { files, image, beside } = call;
  const journal = await openJournal(files, beside);
  // Cut off between taking one back and giving the next its name.
  if (!journal?.state) await bringForward(files, beside);
  const undo = await openUndo(files, beside);
  try {
    const state = journal?.state;
    if (state?.copy !== undefined) throw new CoreError('journal.foreign', { reason: 'it is of a run with --out' });
    if (state && !state.undo) throw nothing('the unfinished run keeps no way back; resume it');
    if (state && undo?.state?.run !== state.run) {
      if (hasWritten(state)) throw nothing('the way back from the unfinished run is not there');
      return await dropUnwritten(call, journal, state.run);
    }
    if (!undo?.state) throw nothing(`no way back is kept beside ${beside}`);
    const { run } = undo.state;
    const disk = await FileDevice.open(files, image, 512);
    let bytes: number;
    let also: AlsoWritten | undefined;
    try {
      also = await openToWrite(files, othersIn(undo), beside, call.options);
      const sameSize = await withSectorSize(call, undo, disk);
      const disks = new Map([[HERE, sameSize], ...also.devices]);
      for (const one of [image, ...also.paths]) await assertWhole(files, one, beside, run);
      await assertRewindable(disks, undo.file, undo.state, state?.run);
      await markAlso(files, run, beside, also.paths);
      bytes = await rewindDisks(disks, undo.file);
      if (sameSize !== disk) await sameSize.close();
    } finally {
      for (const open of [disk, also]) await open?.close();
    }
    await removeScratch(files, call.options.scratch, run);
    await unmarkAlso(files, run, beside, also.paths);
    if (state) await journal!.file.remove();
    await undo.file.remove();
    const earlier = (await bringForward(files, beside)) + ((await files.facts(undoOf(beside))) ? 1 : 0);
    const more = earlier === 1 ? 'One run before it' : `${earlier} runs before it`;
    print(
      { version: 1, rewound: true, bytes, earlier },
      [
        `${formatSize(bytes)} put back; the disk is as it was before that run.`,
        ...(earlier > 0 ? [`${more} can be taken back too.`] : []),
      ],
      call.options.json,
    );
    return EXIT.done;
  } finally {
    await journal?.file.close().catch(() => undefined);
    await undo?.file.close().catch(() => undefined);
  }
}

/** Other disks that the run wrote too. */
const othersIn = ({ state }: OpenUndo): { disk: string; sectorSize: number }[] =>
  state && 'disk' in state.of
    ? state.of.others.map(({ disk, samples }) => ({ disk, sectorSize: samples.sectorSize }))
    : [];

/** The image in the sectors that the way back was kept in. */
async function withSectorSize({ files, image }: RunCall, { state }: OpenUndo, disk: FileDevice): Promise<FileDevice> {
  const size = state && 'disk' in state.of ? state.of.disk.sectorSize : 512;
  return size === 512 ? disk : FileDevice.open(files, image, size);
}

/** A run that was cut between its journal and its first write has nothing to be put back. */
async function dropUnwritten(call: RunCall, journal: OpenJournal | undefined, run: string): Promise<number> {
  await removeScratch(call.files, call.options.scratch, run);
  await journal?.file.remove();
  await bringForward(call.files, call.beside);
  print(
    { version: 1, rewound: true, bytes: 0 },
    ['Nothing had been written yet; the disk is as it was.'],
    call.options.json,
  );
  return EXIT.done;
}

/** Takes away what a run into a new file has made. */
export async function rewindCopy(call: RunCall): Promise<number> {
  const { files, options } = call;
  const out = options.out!;
  const beside = await openJournal(files, out);
  // One in which nothing was begun says nothing.
  const journal = beside?.state || beside?.copying !== undefined ? beside : undefined;
  const undo = await openUndo(files, out);
  try {
    const run = journal?.state?.run;
    const copy = journal?.state ? journal.state.copy : journal?.copying;
    if (journal?.state && copy === undefined)
      throw new CoreError('journal.foreign', { reason: 'it is of a run in place' });
    const work = await files.facts(workOf(out));
    if (work && (copy === undefined || copyId(work) !== copy))
      throw nothing(`${workOf(out)} is not known to be made by a run`);
    const found = await files.facts(out);
    const { state } = undo ?? {};
    const made = state && 'file' in state.of ? state : undefined;
    // A run that is not over yet has made nothing of that name, but for the moment in which it gives it.
    const ours = found !== undefined && made?.of && 'file' in made.of && made.of.file === madeId(found);
    if (found && !ours && !journal)
      throw nothing(made ? `${out} was changed since a run made it` : `no run made ${out}`);
    if (!found && !journal) throw nothing(`${out} is not there`);
    const gone = [...(work ? [workOf(out)] : []), ...(ours ? [out] : [])];
    for (const path of gone) await files.remove(path);
    if (run !== undefined) await removeScratch(files, options.scratch, run);
    await journal?.file.remove();
    if (made && (ours || made.run === run)) await undo!.file.remove();
    const what = gone.length > 0 ? `${gone.join(' and ')} taken away` : 'Nothing had been made yet';
    print({ version: 1, rewound: true, bytes: 0 }, [`${what}; the original was never written.`], options.json);
    return EXIT.done;
  } finally {
    await beside?.file.close().catch(() => undefined);
    await undo?.file.close().catch(() => undefined);
  }
}
