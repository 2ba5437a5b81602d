/** What leaves the bench on paper: a list of volumes, a picture, a job sheet. */
import { layoutOf, type Survey } from '@/core/inspect';
import { htmlOf, jobSheet, pdfOf, pictureFile, volumeList, type Paper } from '@/core/report';
import { basename } from 'node:path';
import { assertApart, assertNew, holding, makeBytes, makeText, systemFiles, type Files } from '../files';
import { paperFonts } from '../fonts';
import { openImage } from '../open-image';
import { EXIT, note, print, UsageError } from '../output';
import { askedOf, planFor, type Asked, type Planned } from '../plan-for';
import { timeWords } from '../time-words';
import { namedFiles, openWith } from '../with-disks';
import { looking, type LookOptions } from './look';

interface PaperOptions extends LookOptions {
  readonly out: string;
}

async function assertMakes(files: Files, out: string, paths: readonly string[]): Promise<void> {
  for (const path of paths) await assertApart(files, out, path);
  await assertNew(files, out);
}

/** The volumes of disks as CSV. */
export async function list(paths: readonly string[], options: PaperOptions, files = systemFiles): Promise<number> {
  const { out, json } = options;
  await assertMakes(files, out, paths);
  const wanted = paths.map((path) => ({ path, mode: 'read' as const }));
  return holding(files, wanted, async () => {
    const disks: { name: string; survey: Survey }[] = [];
    for (const path of paths) {
      const image = await openImage(files, path, options);
      disks.push({ name: basename(path), survey: image.session.survey });
      await image.close();
    }
    await makeText(files, out, volumeList(disks));
    const volumes = disks.reduce((sum, d) => sum + d.survey.volumes.length, 0);
    print({ version: 1, list: out, volumes }, [`${volumes} volumes in ${out}`], json);
    return EXIT.done;
  });
}

/** Opens an image with what is asked for, and plans it. */
async function planning(
  path: string,
  options: PaperOptions,
  files: Files,
  act: (survey: Survey, planned: Planned, asked: Asked) => Promise<void>,
): Promise<number> {
  const asked = await askedOf(files, options);
  return looking(path, { ...options, tableless: asked.tableless }, files, async (image) => {
    const disks = await openWith(files, namedFiles(options.with), options);
    const planned = await planFor(files, image, options, asked, disks).finally(() => disks.close());
    planned.notes.forEach(note);
    await act(image.session.survey, planned, asked);
    print({ version: 1, made: options.out }, [`${options.out} is made.`], options.json);
    return EXIT.done;
  });
}

/** The disk as a picture, with what is planned beside it where a target is named. */
export async function picture(path: string, options: PaperOptions, files = systemFiles): Promise<number> {
  const { out, target, job, json } = options;
  await assertMakes(files, out, [path]);
  if (target !== undefined || job !== undefined)
    return planning(path, options, files, (survey, { layout }) =>
      makeText(files, out, pictureFile(survey, layoutOf(survey), layout)),
    );
  return looking(path, options, files, async ({ session }) => {
    const { survey } = session;
    await makeText(files, out, pictureFile(survey, layoutOf(survey), undefined));
    print({ version: 1, made: out }, [`${out} is made.`], json);
    return EXIT.done;
  });
}

/** How a paper is set, by the name of its file. @throws UsageError */
function paperMaker(out: string): (paper: Paper) => Promise<Uint8Array> {
  if (/\.html?$/i.test(out)) return async (paper) => new TextEncoder().encode(htmlOf(paper));
  if (/\.pdf$/i.test(out)) return async (paper) => pdfOf(paper, await paperFonts());
  throw new UsageError(`A paper is .html or .pdf, by the name of its file, not ${out}.`);
}

/** The job sheet of a plan, before its run. */
export async function sheet(path: string, options: PaperOptions, files = systemFiles): Promise<number> {
  const { out } = options;
  const make = paperMaker(out);
  await assertMakes(files, out, [path]);
  return planning(path, options, files, async (survey, { plan, layout, notes: told }, asked) => {
    const { notes = '' } = (asked.kind === 'target' && asked.job) || {};
    const disk = { disk: basename(path), survey, now: layoutOf(survey), planned: layout };
    await makeBytes(files, out, await make(jobSheet({ ...disk, plan, told, notes, when: timeWords(new Date()) })));
  });
}
