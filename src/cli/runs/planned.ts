/** The image of a run, opened, with the plan for what was asked. */
import { CoreError, isCoreError } from '@/core/errors';
import { parseTarget, resolveTarget } from '@/core/job';
import { derivePlan, type Plan } from '@/core/plan';
import { scratchIn } from '../files';
import { openImage, readJson, type OpenImage } from '../open-image';
import { note, UsageError } from '../output';
import { openJournal, openUndo, unfinished } from './run-files';
import type { RunCall } from './run-options';

/**
 * An image that a run or a rewinding has left half way is between two states, and nothing is planned on it.
 * @throws CoreError `run.unfinished`, `run.rewinding`
 */
async function assertNotHalfWay({ files, image }: RunCall): Promise<void> {
  // What is no journal and no way back says nothing; a run that would write there refuses it by itself.
  const journal = await openJournal(files, image).catch(ignoreOthers);
  await journal?.file.close();
  const undo = await openUndo(files, image).catch(ignoreOthers);
  await undo?.file.close();
  if (undo?.state?.rewinding) throw new CoreError('run.rewinding', {});
  if (journal?.state && !journal.state.certificate && journal.state.copy === undefined) throw unfinished(journal.state);
}

function ignoreOthers(error: unknown): undefined {
  if (!isCoreError(error) || !error.code.startsWith('journal.')) throw error;
  return undefined;
}

export async function planned<T>(
  { files, image: path, options }: RunCall,
  act: (image: OpenImage, plan: Plan) => Promise<T>,
): Promise<T> {
  await assertNotHalfWay({ files, image: path, options });
  const image = await openImage(files, path, options);
  try {
    if (image.packed && options.inPlace) throw new UsageError('A packed image can’t be written itself; say --out OUT.');
    const target = parseTarget(await readJson(files, options.target!));
    const { layout, notes } = resolveTarget(image.session.survey, target);
    const { checkAtNextStart } = target;
    const scratch = scratchIn(options.scratch, image.session.survey);
    const override = options.override ?? false;
    const plan = derivePlan(image.session.survey, layout, { override, checkAtNextStart, scratch });
    notes.forEach(note);
    return await act(image, plan);
  } finally {
    await image.close();
  }
}
