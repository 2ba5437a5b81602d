/** What has to be true of the entries of a target before any of them is given a place. */
import { parseSize } from '@/core/size';
import { invalid, type Target, type TargetEntry } from './target';
import type { TargetLookup } from './target-lookup';

/** @throws CoreError `target.invalid` where entries contradict each other or the disk, `size.*` for sizes that can't be read */
export function assertEntries(target: Target, lookup: TargetLookup): void {
  const { volumes, remove } = target;
  assertNumbers(
    volumes.flatMap((e) => ('keep' in e ? [e.keep] : [])),
    remove,
    new Set(lookup.survey.volumes.map((v) => v.number)),
  );
  for (const entry of volumes) if ('copy' in entry) lookup.source(entry);
  const found = volumes.flatMap((e) => ('find' in e ? [e.find] : []));
  if (new Set(found).size !== found.length) throw invalid('a volume that was found is put back twice');
  for (const number of found) lookup.lost(number);
  const letters = volumes.flatMap((e) => ('letter' in e && e.letter ? [e.letter] : []));
  const twice = letters.find((letter, i) => letters.indexOf(letter) !== i);
  if (twice) throw invalid(`two volumes have the letter ${twice}`);
  if (volumes.filter(takesTheRest).length > 1) throw invalid('“rest” stands more than once');
}

/** Every volume of the disk is either kept, once, or removed. */
function assertNumbers(kept: readonly number[], removed: readonly number[], there: ReadonlySet<number>): void {
  const unknown = [...kept, ...removed].find((n) => !there.has(n));
  if (unknown !== undefined) throw invalid(`there is no volume ${unknown} on the disk`);
  if (new Set(kept).size !== kept.length) throw invalid('a volume is kept twice');
  for (const number of there) {
    const goes = removed.includes(number);
    if (kept.includes(number) !== goes) continue;
    throw invalid(goes ? `volume ${number} is both kept and removed` : `volume ${number} is neither kept nor removed`);
  }
}

function takesTheRest(entry: TargetEntry): boolean {
  const text = 'gap' in entry ? entry.gap : 'find' in entry ? undefined : entry.size;
  return text !== undefined && parseSize(text).kind === 'rest';
}
