/** What a plan does to each volume, in words. */
import { usedOf } from '@/core/goal';
import { volumeNumbered, type Survey } from '@/core/inspect';
import type { ChangedVolume, LaidVolume, Layout, TransferWish } from '@/core/layout';
import { HERE } from '@/core/place';
import { alsoWritten, type Plan } from '@/core/plan';
import { formatSize, spaced, type UnitSystem } from '@/core/size';
import { comingBy, titleOf, usedAfter } from './use';

/** Whether something of a volume is mended first. */
export function isMended({ was }: ChangedVolume, planned: Layout, survey: Survey): boolean {
  if (!planned.mend || was?.origin.kind !== 'kept') return false;
  return (volumeNumbered(survey, was.origin.number)?.seen?.mends.length ?? 0) > 0;
}

/** What is free on a planned volume once its plan was carried out, files that come and go counted. Bytes. */
export function freeThen(survey: Survey, { steps }: Pick<Plan, 'steps'>, volume: LaidVolume): number {
  return volume.length - usedAfter((v) => usedOf(survey, v), comingBy(steps, { volumes: [volume] }))(volume)!;
}

/** What comes to a volume and what goes from it, each in a few words. */
function transferWordsOf({ was, is }: ChangedVolume, { transfers = [] }: Layout): string[] {
  const number = was?.origin.kind === 'kept' ? was.origin.number : undefined;
  const named = ({ folder, fromName }: TransferWish): string => folder || `everything on ${fromName}`;
  return transfers.flatMap((wish) => {
    if (is && wish.to === is.id) return [`takes ${named(wish)} in`];
    const own = wish.from.disk === HERE && wish.from.number === number;
    return own && wish.then !== 'keep'
      ? [`gives ${wish.folder || 'everything'} away${wish.then === 'back' ? ' for a time' : ''}`]
      : [];
  });
}

/** How many failing places of a volume go out of use, where it is now and where it comes to. */
function retiredWordsOf({ was, is }: ChangedVolume, steps: Plan['steps']): string[] {
  const places = [was, is].flatMap((v) => (v ? [v.start] : []));
  const count = steps.reduce(
    (n, s) => n + (s.kind === 'retire' && places.includes(s.at.start) ? s.places.length : 0),
    0,
  );
  if (count === 0) return [];
  return [`${spaced(count)} failing place${count === 1 ? ' goes' : 's go'} out of use`];
}

/** What happens to a volume, each thing in a few words. */
export function changeWords(
  change: ChangedVolume,
  planned: Layout,
  mended: boolean,
  { steps }: Pick<Plan, 'steps'>,
  units: UnitSystem = 'binary',
): string[] {
  const { was, is, what } = change;
  const size = (bytes: number): string => formatSize(bytes, units);
  const title = is ? titleOf(is) : '';
  const by = was && is ? { length: is.length - was.length, start: is.start - was.start } : { length: 0, start: 0 };
  const words: Readonly<Record<ChangedVolume['what'][number], () => string>> = {
    made: () => `made as ${title}`,
    found: () => 'put back where it was found',
    copied: () => (is?.origin.kind === 'copy' ? `copied from ${is.origin.name} of ${is.origin.diskName}` : 'copied'),
    removed: () => 'removed',
    formatted: () => `formatted as ${title}`,
    shrunk: () => `gives ${size(-by.length)}`,
    grown: () => `gains ${size(by.length)}`,
    moved: () => `moved ${size(Math.abs(by.start))} ${by.start < 0 ? 'earlier' : 'later'}`,
    labelled: () => (is!.label ? `labelled ${is!.label}` : 'label taken away'),
    lettered: () => (is!.letter ? `letter ${is!.letter}` : 'no letter'),
    activated: () => (is!.active ? 'made active' : 'made inactive'),
    placed: () => (is!.logical ? 'becomes logical' : 'becomes primary'),
    marked: () => (is!.flags.length > 0 ? `marked ${is!.flags.join(', ')}` : 'marks taken away'),
  };
  const happens = [
    ...(mended ? ['mended'] : []),
    ...what.map((one) => words[one]()),
    ...transferWordsOf(change, planned),
    ...retiredWordsOf(change, steps),
  ];
  return happens.length > 0 ? happens : ['stays as it is'];
}

/** What happens to every other disk of a plan, each told by name. */
export function disksBeside(plan: Pick<Plan, 'sources' | 'lent' | 'steps'>): [string, string][] {
  const written = new Set(alsoWritten(plan).map((s) => s.disk));
  const lenders = [...new Set(plan.lent.map((l) => l.name))];
  return [
    ...plan.sources.map(({ disk, name }): [string, string] => [written.has(disk) ? 'Written too' : 'Only read', name]),
    ...lenders.map((name): [string, string] => ['Lends room', name]),
  ];
}
