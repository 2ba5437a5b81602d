/**
 * The closed list of reasons why a planned layout can't be reached: a code with its facts, and one table of sentences that
 * stops compiling when a code has none. Volumes and folders are told by what sentences call them, sizes are bytes.
 */
import { CoreError } from '@/core/errors';
import type { SurveyedVolume } from '@/core/inspect';
import { formatSize, spaced } from '@/core/size';

interface OfVolume {
  readonly volume: string;
}
interface OfFolder {
  readonly folder: string;
}
type Nothing = Record<string, never>;

/** What each refusal knows. */
interface PlanRefusals {
  'table.damaged': { readonly fault: string };
  'table.before-kept': Nothing;
  'table.holds-one': Nothing;
  'place.overlap': OfVolume;
  'place.sectors': OfVolume;
  'place.past-end': { readonly bytes: number };
  'place.no-entry': OfVolume;
  'place.untabled': OfVolume;
  'place.needed': OfVolume & { readonly by: string };
  'place.stranger': { readonly number: number };
  'volume.missing': { readonly number: number };
  'volume.changes-kind': OfVolume;
  'volume.unmade': { readonly kind: string };
  'volume.cluster-size': { readonly bytes: number; readonly clusterSize: number; readonly kind: string };
  'volume.choice': OfVolume & { readonly fault: string };
  'copy.not-at-hand': OfVolume & { readonly disk: string };
  'copy.sectors': OfVolume & { readonly disk: string; readonly theirs: number; readonly ours: number };
  'wipe.keeps': Nothing;
  'wipe.not-going': OfVolume;
  'wipe.free': Nothing;
  'transfer.no-target': Nothing;
  'transfer.no-source': OfFolder;
  'transfer.same': OfVolume & OfFolder;
  'transfer.unknown': OfVolume;
  'transfer.formatted': OfVolume;
  'transfer.shrinks': OfVolume & { readonly from: string };
  'transfer.no-home': OfVolume & OfFolder;
  'transfer.no-way-back': OfVolume & OfFolder & { readonly fault: string };
  'transfer.link-place': Nothing;
  'transfer.no-links': OfVolume & { readonly kind: string };
  'transfer.link-needs': OfVolume & { readonly what: 'letter' | 'label' };
  'transfer.encrypted': OfVolume & OfFolder & { readonly files: number };
  'transfer.too-long': { readonly path: string };
  'transfer.too-large': { readonly path: string };
  'transfer.one-place': OfVolume & { readonly path: string };
  'transfer.two-places': OfVolume & OfFolder;
  'transfer.back-room': OfVolume & { readonly needs: number; readonly missing: number };
  'transfer.room': OfVolume & { readonly needs: number; readonly free: number; readonly help: 'later' | number };
  'transfer.entries': OfVolume & { readonly wanted: number; readonly free: number; readonly chosen: boolean };
  'transfer.crowded': OfVolume & { readonly path: string };
  'failing.room': OfVolume & { readonly bytes: number; readonly free: number };
  'failing.place': OfVolume & { readonly at: number };
  'failing.table': OfVolume & { readonly at: number };
  'rounds.alone': Nothing;
  'rounds.fault': { readonly fault: string };
}

const SENTENCES: { readonly [C in keyof PlanRefusals]: (facts: PlanRefusals[C]) => string } = {
  'table.damaged': (f) => `the table is damaged: ${f.fault}`,
  'table.before-kept': () => 'a table can’t be put before or taken from a volume that is kept',
  'table.holds-one': () => 'a disk without a table holds one volume only',
  'place.overlap': (f) => `${f.volume} overlaps the volume before it`,
  'place.sectors': (f) => `${f.volume} does not begin and end between sectors`,
  'place.past-end': (f) => `the volumes end ${formatSize(f.bytes)} past the end of the disk`,
  'place.no-entry': (f) => `${f.volume} has no place in the table as it is drawn`,
  'place.untabled': (f) => `${f.volume} can’t be moved on a disk without a table`,
  'place.needed': (f) =>
    `${f.volume} is where ${f.by} is to be, and is needed until what is on it has been taken. Keep it in this plan, and take it away in the next`,
  'place.stranger': (f) =>
    `volume ${f.number}, which is read before it goes, stands in the way. Keep it in this plan, and take it away in the next`,
  'volume.missing': (f) => `volume ${f.number} is not on the disk`,
  'volume.changes-kind': (f) => `${f.volume} can’t change its file system and keep its files`,
  'volume.unmade': (f) => `a ${f.kind} volume can’t be made`,
  'volume.cluster-size': (f) =>
    `${formatSize(f.bytes)} with clusters of ${formatSize(f.clusterSize)} does not suit ${f.kind}`,
  'volume.choice': (f) => `${f.volume} can’t be made so: ${f.fault}`,
  'copy.not-at-hand': (f) => `${f.volume} of ${f.disk} is not at hand`,
  'copy.sectors': (f) =>
    `${f.volume} of ${f.disk} is written for sectors of ${f.theirs} bytes, and this disk has ${f.ours}: its copy could not be read here`,
  'wipe.keeps': () => 'a whole disk is wiped only where nothing on it is kept',
  'wipe.not-going': (f) => `${f.volume} is not among what goes`,
  'wipe.free': () => 'what is free in a volume is wiped only where the volume is kept, and its files are known',
  'transfer.no-target': () => 'files go to a volume that is not in the plan',
  'transfer.no-source': (f) => `the volume that ${f.folder} comes from is not at hand`,
  'transfer.same': (f) => `${f.volume} is both where ${f.folder} comes from and where it goes`,
  'transfer.unknown': (f) => `what is on ${f.volume} is not known, so no files can be taken from it`,
  'transfer.formatted': (f) => `${f.volume} is formatted, and files are taken from it`,
  'transfer.shrinks': (f) => `${f.volume} takes what is on ${f.from} in, and can’t get smaller in the same plan`,
  'transfer.no-home': (f) => `${f.volume} does not stay on this disk, so ${f.folder} can’t be brought back to it`,
  'transfer.no-way-back': (f) => `${f.folder} of ${f.volume} can’t be parked there: ${f.fault}`,
  'transfer.link-place': () => 'a link is left only where a folder is taken away from a volume that stays',
  'transfer.no-links': (f) => `${f.volume} is ${f.kind}, which has no links that lead to another volume`,
  'transfer.link-needs': (f) => `a link to ${f.volume} needs its ${f.what}: give it one`,
  'transfer.encrypted': (f) =>
    `${spaced(f.files)} files of ${f.folder} on ${f.volume} are encrypted, and can’t be read`,
  'transfer.too-long': (f) => `the name of ${f.path} is too long for where it is to go`,
  'transfer.too-large': (f) => `${f.path} is too large for where it is to go`,
  'transfer.one-place': (f) => `two folders go to ${f.path} on ${f.volume}`,
  'transfer.two-places': (f) => `${f.folder} of ${f.volume} is taken away, and goes to two places`,
  'transfer.back-room': (f) =>
    `what is brought back to ${f.volume} takes up to ${formatSize(f.needs)}, and it would have to be ${formatSize(f.missing)} larger`,
  'transfer.room': (f) =>
    `what goes to ${f.volume} takes up to ${formatSize(f.needs)}, and ${formatSize(f.free)} are free there. ${
      f.help === 'later'
        ? 'It can be made larger by another plan first, or files can be taken to a volume that is new'
        : `It would have to be ${formatSize(f.help)} larger`
    }`,
  'transfer.entries': (f) =>
    `${spaced(f.wanted)} files and folders go to ${f.volume}, which has room for ${spaced(f.free)}. ${
      f.chosen ? 'Choose fewer bytes for each inode' : 'Take some of them to another volume'
    }`,
  'transfer.crowded': (f) =>
    `${f.path || 'the root'} on ${f.volume} can’t have as many entries. Take them to folders, or to another file system`,
  'failing.room': (f) =>
    `failing places of ${f.volume} take up to ${formatSize(f.bytes)} out of use, and it has ${formatSize(f.free)} to spare. Leave it larger, or copy it to another disk`,
  'failing.place': (f) =>
    `${f.volume} would be carried onto a place that can’t be written, ${formatSize(f.at)} from the start of the disk. Leave that place unallocated`,
  'failing.table': (f) =>
    `to be that large ${f.volume} needs a longer allocation table, which would come to lie on a failing place, ${formatSize(f.at)} from the start of the disk. Leave it as large as it is, and make another volume of the room`,
  'rounds.alone': () =>
    'while folders go in rounds no other volume can change its place, be copied, or get another table. Do that in another plan',
  'rounds.fault': (f) => f.fault,
};

/** A planned layout that can't be reached. */
export function refused<C extends keyof PlanRefusals>(code: C, facts: PlanRefusals[C]): CoreError {
  const reason = `The plan can’t be carried out: ${SENTENCES[code](facts)}.`;
  return new CoreError('plan.refused', { why: code, reason });
}

/** What is not sound is not changed, nor taken as the measure of what is. */
export const unsound = ({ info, findings }: SurveyedVolume, first: string): CoreError =>
  new CoreError('fs.unsound', { fileSystem: info?.title ?? 'unknown', findings: findings.length, first });
