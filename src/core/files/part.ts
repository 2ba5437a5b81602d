/**
 * Parts of a tree, for where not all of it can go at a time: stretches of its paths in their order. Folders above what
 * goes belong to every part; what is stored of them goes with the first.
 */
import * as z from 'zod';
import { parentOf, type Placed } from './names';

const path = z.string().max(40_000);

/** From a path, which belongs to it, up to one that doesn't; from the first and to the last where there is none. */
export const partSchema = z.strictObject({ from: path.optional(), until: path.optional() }).readonly();
export type Part = z.output<typeof partSchema>;

/** Where an entry stands in the order of paths; a stream stands where what it belongs to does. */
export const standsAt = ({ path: at, stream }: Pick<Placed, 'path' | 'stream'>): string =>
  stream === undefined ? at : at.slice(0, -stream.length - 1);

/** Whether an entry goes with a part itself, and not only what is in it. */
export function goesWith(entry: Pick<Placed, 'path' | 'stream'>, { from, until }: Part): boolean {
  const at = standsAt(entry);
  return (from === undefined || at >= from) && (until === undefined || at < until);
}

/** Paths of all folders above some entries. */
function pathsAbove(entries: readonly Placed[]): Set<string> {
  const out = new Set<string>();
  for (const { path: at } of entries)
    for (let above = parentOf(at); above !== '' && !out.has(above); above = parentOf(above)) out.add(above);
  return out;
}

/** The entries that go with a part, and the folders they are in, in the order they were in; all without one. */
export function entriesOf<E extends Placed>(entries: readonly E[], part: Part | undefined): readonly E[] {
  if (!part) return entries;
  const above = pathsAbove(entries.filter((e) => goesWith(e, part)));
  const holds = ({ path: at, kind, stream }: E): boolean => kind === 'folder' && stream === undefined && above.has(at);
  return entries.filter((e) => goesWith(e, part) || holds(e));
}

/**
 * What is to be removed so that nothing of a tree is left but what comes after a path, each with everything in it.
 * @param entries the tree without what went with earlier parts
 */
export function removedWith(entries: readonly Placed[], until: string): string[] {
  const staying = entries.filter((e) => standsAt(e) >= until);
  const kept = pathsAbove(staying);
  for (const entry of staying) kept.add(standsAt(entry));
  const going = entries.filter((e) => e.stream === undefined && !kept.has(e.path));
  const gone = new Set(going.map((e) => e.path));
  return going.filter((e) => !gone.has(parentOf(e.path))).map((e) => e.path);
}

/**
 * The longest part from a path on whose entries take no more than there is room for, which names of one file do not go
 * apart by; `undefined` where there is none.
 * @param entries the whole tree in its order
 * @param takes bytes that an entry takes
 */
export function partWithin<E extends Placed & { readonly id: number }>(
  entries: readonly E[],
  from: string | undefined,
  room: number,
  takes: (entry: E) => number,
): Part | undefined {
  const rest = entries.filter((e) => goesWith(e, from === undefined ? {} : { from })).sort(inOrder);
  const last = new Map<number, number>();
  for (const [i, { id, kind, stream }] of rest.entries())
    if (kind !== 'folder' && stream === undefined) last.set(id, i);
  let [needs, open] = [0, -1];
  let until: string | undefined;
  for (const [i, entry] of rest.entries()) {
    // Between two entries that stand at one place, or names of one file, there is no end.
    const next = i > 0 && standsAt(rest[i - 1]!) !== standsAt(entry);
    if (next && open < i) until = standsAt(entry);
    needs += takes(entry);
    if (needs > room) return until === undefined ? undefined : { ...start(from), until };
    open = Math.max(open, last.get(entry.id) ?? -1);
  }
  return start(from);
}

const start = (from: string | undefined): Part => (from === undefined ? {} : { from });

const inOrder = (a: Placed, b: Placed): number => {
  const [x, y] = [standsAt(a), standsAt(b)];
  return x < y ? -1 : x > y ? 1 : a.stream === undefined ? -1 : b.stream === undefined ? 1 : 0;
};
