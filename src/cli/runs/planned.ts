/** The image of a run, opened, with the plan for what was asked. */
import { CoreError } from '@/core/errors';
import type { Files } from '../files';
import { openImage, type OpenImage } from '../open-image';
import { note, UsageError } from '../output';
import { askedOf, planFor, type Planned } from '../plan-for';
import { namedFiles, openWith, type WithDisks } from '../with-disks';
import { assertWhole } from './also-marks';
import { assertWritable } from './also-written';
import { besideOther } from './on-device';
import { openJournal, openUndo, unfinished, unlessOthers } from './run-files';
import type { RunCall } from './run-options';

/**
 * An image that a run or a rewinding has left half way is between two states, and nothing is planned on it.
 * @throws CoreError `run.unfinished`, `run.rewinding`
 */
async function assertNotHalfWay(files: Files, beside: string): Promise<void> {
  const journal = await openJournal(files, beside).catch(unlessOthers);
  await journal?.file.close();
  const undo = await openUndo(files, beside).catch(unlessOthers);
  await undo?.file.close();
  if (undo?.state?.rewinding) throw new CoreError('run.rewinding', {});
  if (journal?.state && !journal.state.certificate && journal.state.copy === undefined) throw unfinished(journal.state);
}

export async function planned<T>(
  call: RunCall,
  act: (image: OpenImage, planned: Planned, sources: WithDisks['devices']) => Promise<T>,
): Promise<T> {
  const { files, image: path, options } = call;
  const named = namedFiles(options.with);
  const { beside } = call;
  await assertNotHalfWay(files, beside);
  for (const other of named) await assertNotHalfWay(files, await besideOther(files, other.path, beside));
  for (const one of [path, ...named.map((n) => n.path)]) await assertWhole(files, one, beside);
  const asked = await askedOf(files, options);
  const image = await openImage(files, path, { ...options, tableless: asked.tableless });
  let disks: WithDisks | undefined;
  try {
    if (image.packed && options.inPlace) throw new UsageError('A packed image can’t be written itself; say --out OUT.');
    disks = await openWith(files, named, options);
    const planned = await planFor(files, image, options, asked, disks);
    assertWritable(planned.plan, disks, options.inPlace);
    planned.notes.forEach(note);
    return await act(image, planned, disks.devices);
  } finally {
    await disks?.close();
    await image.close();
  }
}
