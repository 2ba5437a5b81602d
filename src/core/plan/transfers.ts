/** Trees that go from one volume to another in a plan: what is asked, when each can be done, and why one can't. */
import { CoreError } from '@/core/errors';
import type { Part, TransferFacts, WayBack } from '@/core/files';
import { abilitiesOf, findKind } from '@/core/fs';
import { highestNumber, type Survey, type SurveyedVolume } from '@/core/inspect';
import { isMade, nameOf, type LaidVolume, type Layout, type TransferWish } from '@/core/layout';
import { HERE, type Place } from '@/core/place';
import type { MediumSpeed } from './medium';
import { refused, unsound } from './refused';
import { assertRoom } from './transfer-room';
import type { LeftLink, LentRoom, Loss } from './steps';
import { placeOf, type Copied, type Kept, type SourceDisk } from './subjects';

/** A tree that is to go to another volume. Plain data. */
export interface PlannedTransfer extends TransferWish {
  /** What it was found to come to, on the target as it is now. */
  readonly facts: TransferFacts;
  /** Where it is only parked: what bringing it back comes to, or why it would not come back as it was. */
  readonly back?: WayBack | { readonly fault: string } | undefined;
  /** What of it goes in its round, where not all does; facts are of that alone. */
  readonly part?: Part | undefined;
  /** Where there is not the room for both its places at once: how it goes all the same, or why it can't. */
  readonly round?: Round | { readonly fault: string; readonly needed?: number | undefined } | undefined;
}

/** In which round a tree goes, from 0, and how long its volume is by then. */
interface Round {
  readonly index: number;
  readonly length: number;
  /** Where its new volume is made and filled first, since rounds on the disk itself would not do. */
  readonly away?: LentRoom;
}

/** A volume that something is brought back to. */
export interface Home {
  readonly planned: LaidVolume;
  readonly number: number;
  readonly back: WayBack;
}

/**
 * When it is done: before anything else is changed, as its source goes and its target is there; before the table, as its
 * source goes and its target is new; or when everything has its place.
 */
export type TransferTime = 'first' | 'before the table' | 'last';

/** A transfer with the volumes it is between. */
export interface Transferred extends PlannedTransfer {
  readonly when: TransferTime;
  readonly target: LaidVolume;
  /** The number that the plan has for the target. */
  readonly number: number;
  /** The number of the check that reads its source. */
  readonly measure: number;
  readonly source: SurveyedVolume;
  readonly sourceName: string;
  readonly place: Place;
  /** Where the target is when it is done. */
  readonly at: Place;
  readonly here: 'kept' | 'going' | undefined;
  readonly speed: MediumSpeed | undefined;
  readonly link: LeftLink | undefined;
  /** Its files are taken over where they lie. */
  readonly adopts: boolean;
  /** Where it is brought back to, if it is. */
  readonly home: Home | undefined;
}

/** What transfers are worked out from. */
export interface TransferContext {
  readonly survey: Survey;
  readonly now: Layout;
  readonly planned: Layout;
  readonly kept: readonly Kept[];
  readonly copied: readonly Copied[];
  readonly disks: readonly SourceDisk[];
  readonly override: boolean;
}

/** All transfers with what they are between. @throws CoreError `plan.refused`, `fs.*` */
export function transferredIn(wishes: readonly PlannedTransfer[], context: TransferContext): Transferred[] {
  const numbers = new Numbers(context);
  const out = wishes.map((wish) => placed(wish, context, numbers));
  assertApart(out);
  assertRoom(out, context);
  return out;
}

/** Numbers of volumes that have none of their own on the disk. */
class Numbers {
  readonly #given = new Map<string, number>();
  #next: number;

  constructor({ survey, copied }: TransferContext) {
    this.#next = Math.max(highestNumber(survey), ...copied.map((c) => c.number)) + 1;
  }

  of(what: string): number {
    const known = this.#given.get(what);
    if (known !== undefined) return known;
    this.#given.set(what, this.#next);
    return this.#next++;
  }
}

function placed(wish: PlannedTransfer, context: TransferContext, numbers: Numbers): Transferred {
  const { disk, number } = wish.from;
  const target = context.planned.volumes.find((v) => v.id === wish.to);
  if (!target) throw refused('transfer.no-target', {});
  const own = disk === HERE;
  const other = context.disks.find((d) => d.disk === disk);
  const source = (own ? context.survey : other?.survey)?.volumes.find((v) => v.number === number);
  if (!source) throw refused('transfer.no-source', { folder: folderWords(wish) });
  const kept = own ? context.kept.find((k) => k.now.number === number) : undefined;
  const before = context.now.volumes.find((v) => v.origin.kind === 'kept' && v.origin.number === number);
  const sourceName = own
    ? nameOf(kept?.planned ?? before!)
    : `${source.info?.label || `volume ${number}`} of ${other!.name}`;
  const here = own ? (kept ? 'kept' : 'going') : undefined;
  if (target.origin.kind === 'kept' && own && target.origin.number === number)
    throw refused('transfer.same', { volume: sourceName, folder: folderWords(wish) });
  if (!source.info) throw refused('transfer.unknown', { volume: sourceName });
  assertSound(source, context.override);
  const home = wish.then === 'back' ? homeOf(wish, sourceName, kept?.planned, numbers) : undefined;
  if (kept?.planned.format && !home) throw refused('transfer.formatted', { volume: sourceName });
  const of = targetOf(target, context);
  const leaves = here === 'going' || (home !== undefined && (of.now || isMade(home.planned)));
  const when = !leaves ? 'last' : of.now ? 'first' : 'before the table';
  if (when === 'first' && target.length < of.now!.length)
    throw refused('transfer.shrinks', { volume: nameOf(target), from: sourceName });
  const adopts = when === 'first' && here === 'going' && linesUp(wish, source, target, of.now!, context);
  assertPossible(wish, sourceName, target, adopts);
  if (wish.then === 'remove' && !own && !abilitiesOf(source.info.kind).write)
    throw new CoreError('fs.ability', { fileSystem: source.info.title, ability: 'have files taken away' });
  const last = kept && when === 'last' ? { start: kept.planned.start, length: kept.planned.length } : source;
  return {
    ...wish,
    when,
    target,
    number: of.number ?? numbers.of(target.id),
    measure: own ? number : numbers.of(`${disk} ${number}`),
    source,
    sourceName,
    place: { disk, start: last.start, length: last.length },
    at: when === 'first' ? placeOf(of.now!) : placeOf(target),
    here,
    speed: other?.speed,
    adopts,
    home,
    link: wish.leave && linkFor(wish, source, sourceName, target, here),
  };
}

/** @throws CoreError `plan.refused` where nothing can be brought back, or not as it was */
function homeOf(wish: PlannedTransfer, sourceName: string, planned: LaidVolume | undefined, numbers: Numbers): Home {
  const what = { volume: sourceName, folder: folderWords(wish) };
  if (!planned) throw refused('transfer.no-home', what);
  if (!wish.back || 'fault' in wish.back)
    throw refused('transfer.no-way-back', { ...what, fault: wish.back?.fault ?? 'it was not looked at' });
  const number = isMade(planned) ? numbers.of(planned.id) : (planned.origin as { number: number }).number;
  return { planned, number, back: wish.back };
}

/**
 * Whether files can be taken over where they lie: all of a volume of the same kind goes to the one before it, which stays
 * where it is and gets all of its room; clusters of both are as large and begin at the same steps; nothing else is between.
 */
function linesUp(
  { folder }: PlannedTransfer,
  source: SurveyedVolume,
  target: LaidVolume,
  now: SurveyedVolume,
  { survey }: TransferContext,
): boolean {
  const { info } = source;
  const end = target.start + target.length;
  if (folder !== '' || !info || info.kind !== target.fileSystem || !findKind(info.kind)?.holds.adopts) return false;
  if (target.start !== now.start || end < source.start + source.length || source.start < now.start) return false;
  const offset = source.start + (info.clustersFrom ?? 0) - now.start - (now.info?.clustersFrom ?? 0);
  if (info.adoptionStyle === null || info.adoptionStyle !== now.info?.adoptionStyle) return false;
  if (info.clusterSize !== now.info?.clusterSize || offset % info.clusterSize !== 0) return false;
  return survey.volumes.every(
    (v) => v.number === source.number || v.number === now.number || v.start >= end || v.start + v.length <= now.start,
  );
}

/** @throws CoreError `plan.refused` where there can be no link */
function linkFor(
  { folder, under, then }: PlannedTransfer,
  source: SurveyedVolume,
  sourceName: string,
  target: LaidVolume,
  here: Transferred['here'],
): LeftLink {
  const title = source.info?.title ?? '';
  if (folder === '' || !isTaken({ here, then })) throw refused('transfer.link-place', {});
  const making = findKind(source.info!.kind)?.holds.linkTo;
  if (!making) throw refused('transfer.no-links', { volume: sourceName, kind: title });
  const volume = target[making.by];
  if (!volume) throw refused('transfer.link-needs', { volume: nameOf(target), what: making.by });
  return { volume, path: under };
}

/** The target as it is now, and its number, as far as it has one. @throws CoreError `fs.ability`, `fs.unsound` */
function targetOf(target: LaidVolume, context: TransferContext): { now?: SurveyedVolume; number?: number } {
  const { fileSystem } = target;
  const title = findKind(fileSystem)?.title ?? 'unknown';
  if (!abilitiesOf(fileSystem).write) throw new CoreError('fs.ability', { fileSystem: title, ability: 'take files' });
  const { origin } = target;
  if (origin.kind === 'copy') return { number: context.copied.find((c) => c.planned.id === target.id)!.number };
  if (isMade(target) || origin.kind !== 'kept') return {};
  const { now } = context.kept.find((k) => k.now.number === origin.number)!;
  assertSound(now, context.override);
  return { now, number: now.number };
}

/** Whether it is taken away from a volume that stays. */
export const isTaken = ({ here, then }: Pick<Transferred, 'here' | 'then'>): boolean =>
  then === 'remove' && here !== 'going';

/** Whether nothing of its folder goes after it. */
export const isLastPart = ({ part }: PlannedTransfer): boolean => part?.until === undefined;

/** What is nowhere any more once a tree was taken away: what its new place could not have. */
export function leftOut({ facts: { loses } }: PlannedTransfer): Loss | undefined {
  const files = (loses.streams ?? 0) + (loses.links ?? 0) + (loses['path links'] ?? 0) + (loses['special files'] ?? 0);
  return files > 0 ? { files, bytes: 0 } : undefined;
}

const folderWords = ({ folder }: PlannedTransfer): string => (folder === '' ? 'everything' : folder);

function assertSound(volume: SurveyedVolume, override: boolean): void {
  const error = override ? undefined : volume.findings.find((f) => f.severity === 'error');
  if (error) throw unsound(volume, error.message);
}

/** What is taken over where it lies needs nobody who can read it. */
function assertPossible(wish: PlannedTransfer, name: string, target: LaidVolume, adopts: boolean): void {
  const { loses, tooLong, tooLarge, crowded } = wish.facts;
  if (loses.encryption && !adopts)
    throw refused('transfer.encrypted', { volume: name, folder: folderWords(wish), files: loses.encryption });
  if (tooLong.length > 0) throw refused('transfer.too-long', { path: tooLong[0]! });
  if (tooLarge.length > 0) throw refused('transfer.too-large', { path: tooLarge[0]! });
  if (crowded) throw refused('transfer.crowded', { volume: nameOf(target), path: crowded[0]! });
}

const fold = (path: string): string => path.toUpperCase();
const within = (path: string, folder: string): boolean => folder === '' || `${path}/`.startsWith(`${folder}/`);

/** No two go to one place, and nothing is taken away twice or before it was taken. */
function assertApart(all: readonly Transferred[]): void {
  for (const [i, a] of all.entries())
    for (const b of all.slice(i + 1)) {
      if (a.part && b.part && a.measure === b.measure && a.folder === b.folder) continue;
      const [x, y] = [fold(a.under), fold(b.under)];
      if (a.to === b.to && a.under !== '' && x === y)
        throw refused('transfer.one-place', { volume: nameOf(a.target), path: a.under });
      const shared = a.measure === b.measure && (within(a.folder, b.folder) || within(b.folder, a.folder));
      if (shared && (a.then !== 'keep' || b.then !== 'keep') && a.here !== 'going')
        throw refused('transfer.two-places', { volume: a.sourceName, folder: folderWords(a) });
    }
}
