/** What a run leaves in the folder that `--papers` names: its certificate, the manifests it was measured by, and its log. */
import type { BlockDevice } from '@/core/device';
import { layoutOf, surveyDisk } from '@/core/inspect';
import type { Certificate } from '@/core/proof';
import { certificatePaper, htmlOf, pdfOf, type RanLayouts } from '@/core/report';
import { logJsonLines, logText, manifestsIn, type LogLine } from '@/core/run';
import { basename, join } from 'node:path';
import { assertNew, makeBytes, makeText, type Files } from '../files';
import { paperFonts } from '../fonts';
import { nodeHasher } from '../node-hasher';
import { UsageError } from '../output';
import { timeWords } from '../time-words';
import type { JournalFile } from './run-files';
import type { RunCall } from './run-options';

const CERTIFICATE = ['certificate.json', 'certificate.html', 'certificate.pdf'] as const;

/** @throws UsageError where there is no such folder, CoreError `file.exists` where it has papers already */
export async function assertPapers(files: Files, folder: string | undefined): Promise<void> {
  if (folder === undefined) return;
  if ((await files.facts(folder))?.kind !== 'folder') throw new UsageError(`${folder} is no folder.`);
  for (const name of CERTIFICATE) await assertNew(files, join(folder, name));
}

/** The log of a run, whole or not. A run that is taken up writes another. */
export async function leaveLog({ files, options }: RunCall, lines: readonly LogLine[]): Promise<void> {
  const { papers } = options;
  const [first] = lines;
  if (papers === undefined || !first) return;
  const name = join(papers, `log ${first.at.replace(/[^0-9TZ]/g, '')}`);
  await makeText(files, `${name}.txt`, logText(lines));
  await makeText(files, `${name}.jsonl`, logJsonLines(lines));
}

/** The certificate and the manifests of a run that is over; its journal is still there. */
export async function leavePapers(
  { files, image, options }: RunCall,
  certificate: Certificate,
  journal: JournalFile,
  disk: BlockDevice,
  ran: RanLayouts | undefined,
): Promise<void> {
  const { papers, out = image } = options;
  if (papers === undefined) return;
  const survey = await surveyDisk(disk, undefined, undefined, true);
  const paper = certificatePaper({
    ...{ disk: basename(out), certificate, survey, now: layoutOf(survey) },
    ...(ran ? { ran } : {}),
    time: (iso) => timeWords(new Date(iso)),
  });
  const [json, html, pdf] = CERTIFICATE;
  for await (const { number, csv } of manifestsIn(journal, nodeHasher))
    await makeText(files, join(papers, `manifest ${number}.csv`), csv);
  await makeText(files, join(papers, html), htmlOf(paper));
  await makeBytes(files, join(papers, pdf), await pdfOf(paper, await paperFonts()));
  await makeText(files, join(papers, json), `${JSON.stringify(certificate, null, 2)}\n`);
}
