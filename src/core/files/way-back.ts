/** What bringing a tree back comes to once it is parked on another volume. Plain data. */
import type { FileEntry, FileTimes, KindFacts } from '@/core/fs';
import { sortByPath, type Tree } from './list-tree';
import { mapNames, timesAbove, type Places } from './names';
import { standsAt } from './part';
import { factsOfTransfer, type TransferFacts } from './transfer-facts';

/** The way back: what it comes to, and the folder on the other volume that goes with it. */
export interface WayBack {
  readonly facts: TransferFacts;
  /** The topmost folder that was made for what is parked. */
  readonly top: string;
}

/** What is asked of a tree that is to be parked. */
export interface ParkQuestion extends Places {
  readonly tree: Tree;
  /** The kind of the volume that it comes back to as it is by then, and its clusters. */
  readonly home: KindFacts;
  readonly clusterSize: number;
  /** The kind of the volume that it is parked on. */
  readonly park: KindFacts;
  /** What is on that volume already. */
  readonly existing: readonly FileEntry[];
  /** What it comes to on the way there. */
  readonly facts: TransferFacts;
}

/** The way back, or why what would come back were not what went. */
export function wayBackOf(question: ParkQuestion): WayBack | { readonly fault: string } {
  const { tree, folder, under, home, park, existing, facts, clusterSize } = question;
  if (under === '') return { fault: 'what is parked needs a folder of its own there' };
  const [lost] = [...Object.keys(facts.loses), ...Object.keys(facts.attributes)];
  if (lost !== undefined) return { fault: `it would come back without its ${lost}` };
  if (facts.renamed.count > 0) return { fault: `${facts.renamed.some[0]![0]} would come back under another name` };
  const { paths, above, joined } = mapNames(tree.entries, { folder, under }, park.holds, existing);
  if (joined.size > 0 || (folder === '' && above.at(-1) !== under)) return { fault: `${under} is there already` };
  const changed = tree.entries.find((e) => !sameTimes(e.times, home, park));
  if (changed) return { fault: `${changed.path} would come back with other times` };
  const entries = tree.entries.map(({ path, kind, stream, size, times, attributes, id }): FileEntry => {
    const own = { kind, size, times, attributes, id };
    if (stream === undefined) return { ...own, path: paths.get(path)! };
    return { ...own, stream, path: `${paths.get(standsAt({ path, stream }))!}:${stream}` };
  });
  const made = above.filter((path) => folder === '' && (path === under || path.startsWith(`${under}/`)));
  const times = timesAbove(tree.entries, folder);
  for (const path of made) entries.push({ path, kind: 'folder', size: 0, times, attributes: [], id: -1 });
  sortByPath(entries);
  const back = { tree: { entries, folder: under }, folder: under, under: folder, existing: [] };
  return {
    facts: factsOfTransfer({ ...back, source: park, target: home, clusterSize }),
    top: above[0] ?? under,
  };
}

/** Whether times are the same for having been on the other kind. */
function sameTimes(times: FileTimes, { holds }: KindFacts, park: KindFacts): boolean {
  const [before, after] = [holds.storedTimes(times), holds.storedTimes(park.holds.storedTimes(times))];
  return before.created === after.created && before.modified === after.modified && before.accessed === after.accessed;
}
