/** The verb that tells what would be done, or why it would not. */
import { CoreError, isCoreError } from '@/core/errors';
import { jobFile, knownDisk, planDocument } from '@/core/job';
import { durationWords } from '@/core/plan';
import { basename } from 'node:path';
import { assertNew, makeText, systemFiles } from '../files';
import type { OpenImage } from '../open-image';
import { EXIT, fail, print, refusalDocument, UsageError } from '../output';
import { askedOf, planFor, type Asked } from '../plan-for';
import { namedFiles, openWith, type WithDisks } from '../with-disks';
import { looking, type LookOptions } from './look';

export async function plan(path: string, options: LookOptions, files = systemFiles): Promise<number> {
  try {
    const asked = await askedOf(files, options);
    if (options.saveJob !== undefined) await assertNew(files, options.saveJob);
    return await looking(path, { ...options, tableless: asked.tableless }, files, (image) =>
      planOn(image, options, asked, files),
    );
  } catch (error) {
    if (isCoreError(error, 'target.invalid')) return refusal(error, options);
    throw error;
  }
}

async function planOn(
  image: OpenImage,
  options: LookOptions,
  asked: Asked,
  files: typeof systemFiles,
): Promise<number> {
  try {
    const disks = await openWith(files, namedFiles(options.with), options);
    const {
      plan: derived,
      notes,
      override,
    } = await planFor(files, image, options, asked, disks).finally(() => disks.close());
    if (options.saveJob !== undefined) await saveJob(options.saveJob, image, asked, override, disks, files);
    const document = planDocument(derived, notes);
    const words = [
      ...document.steps.flatMap((s, i) => [`${i + 1}  ${s.title} (${durationWords(s.seconds)})`, `   ${s.detail}`]),
      ...document.notes,
      ...document.hazards.map((h) => h.message),
      ...document.after,
    ];
    print(document, words.length > 0 ? words : ['Nothing to do.'], options.json);
    // What stays damaged is told, and is a no where mending was asked for.
    return options.mend && notes.length > 0 ? EXIT.no : EXIT.done;
  } catch (error) {
    return refusal(error, options);
  }
}

/** Saves what was planned as a job, for another day or another machine. */
async function saveJob(
  path: string,
  { session: { survey, name } }: OpenImage,
  asked: Asked,
  override: boolean,
  { sources }: WithDisks,
  files: typeof systemFiles,
): Promise<void> {
  if (asked.kind !== 'target') throw new UsageError('Only a target is saved as a job.');
  const others = sources.map((s) => knownDisk(s.survey, s.name));
  const { notes = '', guarded = [] } = asked.job ?? {};
  const made = new Date().toISOString();
  const job = jobFile(
    { made, disk: knownDisk(survey, basename(name)), others, override, notes, guarded },
    asked.target,
  );
  await makeText(files, path, `${JSON.stringify(job, null, 2)}\n`);
}

/** Why there is no plan. */
function refusal(error: unknown, { json }: LookOptions): number {
  if (json && error instanceof CoreError) print(refusalDocument(error), [], true);
  return fail(error);
}
