/** The certificate of a run as a paper: what was compared and how, what was found, and who says so. */
import type { Survey } from '@/core/inspect';
import type { Layout } from '@/core/layout';
import type { Certificate, VolumeProof, WipeProof } from '@/core/proof';
import { formatSize, spaced } from '@/core/size';
import type { Drawing } from './drawing';
import type { Block, Paper } from './paper';
import { pictureOf } from './picture';
import { usedIn, usedInThen, type RanLayouts } from './ran';
import { identityFacts } from './sheet';
import { usedBy } from './use';

/** What a certificate is made of beside what the run says. */
export interface CertificateFacts {
  readonly disk: string;
  readonly medium?: string;
  readonly certificate: Certificate;
  /** The disk as it is now. */
  readonly survey: Survey;
  /** As it is now. */
  readonly now: Layout;
  /** What the run did to it, where that is known. */
  readonly ran?: RanLayouts;
  readonly notes?: string;
  /** A time of the run as it shall stand there. */
  readonly time: (iso: string) => string;
}

/** What came of a run, in a line. */
export const OUTCOME_WORDS: Readonly<Record<Certificate['outcome'], string>> = {
  proven: 'Proven: every file is as it was',
  salvaged: 'Copied as far as it could be read',
  'nothing kept': 'Done. Nothing was kept, so there was nothing to prove',
  differs: 'Not proven',
};

const COMPARED = 'Compared before and after by size, times, attributes, owners where there are any, and SHA-256.';
/** What that rests on. */
export const OUTCOME_DETAILS: Readonly<Record<Certificate['outcome'], string>> = {
  proven: COMPARED,
  salvaged: 'What could be read is the same as it was. What could not is told below, and reads as zeros.',
  'nothing kept': 'The work order kept no volume, so there was nothing to compare.',
  differs: COMPARED,
};

const TONES = { proven: 'good', salvaged: undefined, 'nothing kept': undefined, differs: 'bad' } as const;
const PICTURE = { width: 515, height: 160 };
/** A paper is for people; the document has all. */
const MOST_LISTED = 20;

/** How the files of a volume were compared, in words. */
export function methodWords({ bySource, files }: VolumeProof): string {
  if (bySource === 0) return 'bytes hashed';
  return bySource === files ? 'by procedural source' : `${spaced(bySource)} by procedural source, the rest by bytes`;
}

/** What was written over and how that was shown, in two lines. */
export const wipeLines = ({ title, bytes, how, compared, differing, unwrittenBytes }: WipeProof) => ({
  text: `${title}: ${formatSize(bytes)} ${how}`,
  detail: `${formatSize(compared)} compared, ${spaced(differing)} bytes differ, ${spaced(unwrittenBytes)} bytes could not be written`,
});

/** The certificate of a run. */
export function certificatePaper(facts: CertificateFacts): Paper {
  const { disk, medium, certificate, survey, now, ran, notes = '', time } = facts;
  const { outcome, started, finished, volumes, wipes = [], steps } = certificate;
  const tone = TONES[outcome];
  const differences = volumes.flatMap((v) => v.differences.map((d) => `${d.path}: ${d.what}`));
  const lost = volumes.flatMap((v) => v.lost?.listed.map((l) => `${l.path}: ${spaced(l.bytes)} bytes`) ?? []);
  const drawing = ran ? ranPicture(ran) : pictureOf(usedBy(survey), now, undefined, PICTURE);
  return {
    title: OUTCOME_WORDS[outcome],
    subtitle: disk,
    ...(tone ? { tone } : {}),
    blocks: [
      { kind: 'text', text: OUTCOME_DETAILS[outcome] },
      {
        kind: 'facts',
        items: [...identityFacts(survey, medium), ['Begun', time(started)], ['Finished', time(finished)]],
      },
      { kind: 'picture', drawing },
      ...(volumes.length > 0 ? [proofTable(volumes)] : []),
      ...shortList('Differences', differences),
      ...shortList('Lost, read as zeros', lost),
      ...(wipes.length > 0
        ? [
            {
              kind: 'list',
              title: 'Written over',
              items: wipes.map(wipeLines),
            } as const,
          ]
        : []),
      { kind: 'list', title: 'What was done', numbered: true, items: steps.map((text) => ({ text })) },
      ...manifestList(volumes),
      { kind: 'signature', notes, fields: ['Technician', 'Date'] },
    ],
    footer: `Ullager certificate of the run that ended ${time(finished)}.`,
  };
}

/** Whatever was made or copied is dashed as in the plan. */
const ranPicture = (ran: RanLayouts): Drawing =>
  pictureOf(usedIn(ran), ran.before, ran.planned, PICTURE, ['Before', 'Now'], usedInThen(ran));

function proofTable(volumes: readonly VolumeProof[]): Block {
  return {
    kind: 'table',
    title: 'What was kept',
    columns: [
      { title: 'Volume', share: 0.22 },
      { title: 'Files', share: 0.1, end: true },
      { title: 'Folders', share: 0.1, end: true },
      { title: 'Content', share: 0.12, end: true },
      { title: 'Identical', share: 0.1, end: true },
      { title: 'Differ', share: 0.08, end: true },
      { title: 'Structure and method', share: 0.28 },
    ],
    rows: volumes.map((v) => [
      v.name,
      spaced(v.files),
      spaced(v.folders),
      formatSize(v.bytes),
      spaced(v.identical),
      spaced(v.differing),
      `${v.findings.length === 0 ? 'sound' : v.findings.map((f) => f.message).join(' ')}, ${methodWords(v)}`,
    ]),
  };
}

function shortList(title: string, all: readonly string[]): Block[] {
  if (all.length === 0) return [];
  const shown = all.slice(0, MOST_LISTED).map((text) => ({ text }));
  const more = all.length - shown.length;
  return [
    {
      kind: 'list',
      title,
      items: more > 0 ? [...shown, { text: `and ${spaced(more)} more, in the document` }] : shown,
    },
  ];
}

/** The digest of each manifest: whoever has one can tell that it is the one that was compared. */
function manifestList(volumes: readonly VolumeProof[]): Block[] {
  const items = volumes.flatMap((v) => (v.manifest ? [{ text: v.name, detail: `SHA-256 ${v.manifest}` }] : []));
  return items.length > 0 ? [{ kind: 'list', title: 'Manifests', items }] : [];
}
