/** What is taken over where it lies, each entry with where it comes to. */
import type { Adoption, Holdings } from '@/core/fs';
import { factsAbove } from './carry-out';
import type { Tree } from './list-tree';
import { mapNames, type Placed, type Places } from './names';

/** Folders that are there already are gone into, and keep what is stored of them. */
export function adoptionOf(
  tree: Tree,
  places: Places,
  holds: Holdings,
  existing: Iterable<Placed>,
): Pick<Adoption, 'above' | 'entries'> {
  const { paths, above, joined } = mapNames(tree.entries, places, holds, existing);
  const facts = factsAbove(tree);
  return {
    above: above.map((path) => ({ path, facts })),
    entries: tree.entries.flatMap((entry) =>
      entry.stream !== undefined || joined.has(entry.path) ? [] : [{ entry, to: paths.get(entry.path)! }],
    ),
  };
}
