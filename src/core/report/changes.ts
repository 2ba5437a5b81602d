/** What a plan does to each volume, in words. */
import { volumeNumbered, type Survey } from '@/core/inspect';
import type { ChangedVolume, Layout } from '@/core/layout';
import { formatSize, type UnitSystem } from '@/core/size';
import { titleOf } from './use';

/** Whether something of a volume is mended first. */
export function isMended({ was }: ChangedVolume, planned: Layout, survey: Survey): boolean {
  if (!planned.mend || was?.origin.kind !== 'kept') return false;
  return (volumeNumbered(survey, was.origin.number)?.seen?.mends.length ?? 0) > 0;
}

/** What happens to a volume, each thing in a few words. */
export function changeWords({ was, is, what }: ChangedVolume, mended: boolean, units: UnitSystem = 'binary'): string[] {
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
  const happens = [...(mended ? ['mended'] : []), ...what.map((one) => words[one]())];
  return happens.length > 0 ? happens : ['stays as it is'];
}
