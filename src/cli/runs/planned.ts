/** The image of a run, opened, with the plan for what was asked. */
import { parseTarget, resolveTarget } from '@/core/job';
import { derivePlan, type Plan } from '@/core/plan';
import { scratchIn } from '../files/scratch';
import { openImage, readJson, type OpenImage } from '../open-image';
import { note, UsageError } from '../output';
import type { RunCall } from './run-options';

export async function planned<T>(
  { files, image: path, options }: RunCall,
  act: (image: OpenImage, plan: Plan) => Promise<T>,
): Promise<T> {
  const image = await openImage(files, path, options);
  try {
    if (image.packed && options.inPlace) throw new UsageError('A packed image can’t be written itself; say --out OUT.');
    const target = parseTarget(await readJson(files, options.target!));
    const { layout, notes } = resolveTarget(image.survey, target);
    const { checkAtNextStart } = target;
    const scratch = scratchIn(options.scratch, image.survey);
    const override = options.override ?? false;
    const plan = derivePlan(image.survey, layout, { override, checkAtNextStart, scratch });
    notes.forEach(note);
    return await act(image, plan);
  } finally {
    await image.close();
  }
}
