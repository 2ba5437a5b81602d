/** What a volume must hold after a run in which trees came to it and went from it, from what was read before. */
import { COMPRESSED, type Holdings } from '@/core/fs';
import type { ManifestEntry } from '@/core/proof';
import { canHold } from './links';
import { mapNames, timesAbove, type Places } from './names';
import { entriesOf, standsAt, type Part } from './part';

/** A tree that came to a volume. */
export interface Receipt extends Places {
  /** What was read of the volume that it came from, before. */
  readonly from: readonly ManifestEntry[];
  /** It was taken over where it lies, with everything. */
  readonly adopted?: boolean | undefined;
  /** What of it came, where not all did. */
  readonly part?: Part | undefined;
  /** Files that are compressed are not where they come to. */
  readonly uncompressed?: boolean | undefined;
}

/** Whether a path is a folder, belongs to it, or is in it. */
export const isBelow = (path: string, folder: string): boolean =>
  folder === '' || path === folder || path.startsWith(`${folder}/`) || path.startsWith(`${folder}:`);

const byPath = (a: ManifestEntry, b: ManifestEntry): number => (a.path < b.path ? -1 : a.path > b.path ? 1 : 0);

/**
 * @param before what was on the volume
 * @param gone folders that were taken away from it
 * @param left links that stand where they were
 */
export function expectedAfter(
  before: readonly ManifestEntry[],
  receipts: readonly Receipt[],
  gone: readonly string[],
  left: readonly ManifestEntry[],
  holds: Holdings,
): ManifestEntry[] {
  let entries = [...before];
  for (const receipt of receipts) entries = [...entries, ...received(receipt, holds, entries)];
  return [...entries.filter((e) => !gone.some((folder) => isBelow(e.path, folder))), ...left];
}

function received(
  { from, folder, under, adopted, uncompressed, part }: Receipt,
  holds: Holdings,
  existing: readonly ManifestEntry[],
): ManifestEntry[] {
  const below = from.filter((e) => isBelow(e.path, folder)).sort(byPath);
  const tree = entriesOf(below, part);
  const keeps = (word: string): boolean => holds.attributes.includes(word) && !(uncompressed && word === COMPRESSED);
  const { paths, above, joined } = mapNames(tree, { folder, under }, holds, existing);
  const made = above.map((path): ManifestEntry => ({
    path,
    kind: 'folder',
    size: 0,
    times: holds.storedTimes(timesAbove(tree, folder)),
    attributes: [],
    ...(holds.newBeside ? { beside: holds.newBeside('folder') } : {}),
  }));
  return [
    ...made,
    ...tree.flatMap((entry): ManifestEntry[] => {
      const { path, stream, beside } = entry;
      if (joined.has(standsAt(entry)) || !canHold(holds, entry)) return [];
      const own = beside ?? holds.newBeside?.(entry.kind);
      const { beside: _, ...plain } = entry;
      const stored = {
        ...plain,
        ...(holds.newBeside ? { beside: own } : {}),
        times: holds.storedTimes(entry.times),
        attributes: adopted ? entry.attributes : entry.attributes.filter(keeps),
      };
      if (stream === undefined) return [{ ...stored, path: paths.get(path)! }];
      if (!holds.keeps.includes('streams')) return [];
      return [{ ...stored, path: `${paths.get(standsAt(entry))!}:${stream}` }];
    }),
  ];
}
