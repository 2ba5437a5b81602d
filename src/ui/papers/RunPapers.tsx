'use client';

import type { Certificate } from '@/core/proof';
import { logJsonLines, logText } from '@/core/run';
import { engine, given } from '@/engine';
import { certificateOf, type Current } from '@/state';
import { download, downloadText } from '../kit';
import { PaperMenu } from './PaperMenu';
import { savePicture } from './PlanPapers';
import { printPaper, saveHtml, savePdf } from './print';

interface Props {
  readonly current: Current;
  readonly certificate: Certificate;
}

/** What a run leaves: its certificate, what it was measured by, and its log. */
export function RunPapers({ current, certificate }: Props) {
  const { id, disk } = current;
  const { name } = disk.stored;
  const paper = () => certificateOf(current)!;
  const proven = certificate.volumes.filter((v) => v.manifest);
  return (
    <PaperMenu
      title="Papers…"
      items={[
        { name: 'Print the certificate', act: () => printPaper(paper()) },
        { name: 'Save the certificate as PDF', act: () => savePdf(`${name} certificate`, paper()) },
        { name: 'Save the certificate as HTML', act: () => saveHtml(`${name} certificate`, paper()) },
        {
          name: 'Save the certificate as JSON',
          act: () => downloadText(`${name} certificate.json`, 'application/json', JSON.stringify(certificate, null, 2)),
        },
        ...proven.map((v) => ({
          name: `Save the manifest of ${v.name} as CSV`,
          act: () =>
            download(`${name} manifest ${v.number}.csv`, 0, (port) =>
              engine('serveManifest', id, v.number, given(port)),
            ),
        })),
        {
          name: 'Save the log as text',
          act: async () => downloadText(`${name} log.txt`, 'text/plain', logText(await engine('log', id))),
        },
        {
          name: 'Save the log as JSON lines',
          act: async () =>
            downloadText(`${name} log.jsonl`, 'application/jsonl', logJsonLines(await engine('log', id))),
        },
        { name: 'Save the picture as SVG', act: () => savePicture(current) },
      ]}
    />
  );
}
