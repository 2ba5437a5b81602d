/** What taking a tree to another volume comes to: how much it is, and what of it can't be kept there. Plain data. */
import { COMPRESSED, holdingsWith, type FileEntry, type Holdings, type Kept, type KindFacts } from '@/core/fs';
import { ceilTo } from '@/core/size';
import * as z from 'zod';
import { listingOf, type Tree } from './list-tree';
import { linkOf } from './links';
import { mapNames, nameIn, parentOf, type Mapped, type Placed, type Places } from './names';
import { goesWith, standsAt } from './part';
import type { StoredSize } from './stored-sizes';

const count = z.int().min(0);
const KEPT = [
  'streams',
  'hard links',
  'links',
  'path links',
  'special files',
  'rights',
  'owners',
  'extended attributes',
  'change times',
  'compression',
  'encryption',
] as const;
const LISTED = 100;

export const transferFactsSchema = z
  .strictObject({
    files: count,
    folders: count,
    /** Of the content of files. */
    bytes: count,
    /** Bytes that it takes on the target at most, the clusters of files and all entries. */
    needs: count,
    /** What of that is for entries and folders alone. */
    structures: count,
    /** By which the tree is known again. */
    listing: z.int().min(0).max(0xffffffff),
    /** Entries that have something which can't be kept, by what that is. */
    loses: z.partialRecord(z.enum(KEPT), count),
    /** Attributes that can't be kept, by their words. */
    attributes: z.record(z.string().max(40), count),
    /** Names that are changed: how many, and some of them. */
    renamed: z.strictObject({ count, some: z.array(z.tuple([z.string(), z.string()]).readonly()).readonly() }),
    /** Paths that can't be taken, some of them: their names are too long, or they are too large. */
    tooLong: z.array(z.string()).readonly(),
    tooLarge: z.array(z.string()).readonly(),
    /** Folders of the target that can't have as many entries, some of them. */
    crowded: z.array(z.string()).readonly().optional(),
  })
  .readonly();

export type TransferFacts = z.output<typeof transferFactsSchema>;

/** What is asked of a transfer before it is planned. */
export interface TransferQuestion extends Places {
  readonly tree: Tree;
  readonly source: KindFacts;
  readonly target: KindFacts;
  readonly clusterSize: number;
  /** What is on the target already. */
  readonly existing: readonly Placed[];
  /** Bytes that the root of a target that is there can have, where that is fixed. */
  readonly rootBytes?: number | undefined;
  /** Of files with holes, by path, what they take where the holes are kept. */
  readonly stored?: ReadonlyMap<string, StoredSize>;
}

/** Counts everything that a person is told before. */
export function factsOfTransfer({
  tree,
  folder,
  under,
  source,
  target,
  clusterSize,
  existing,
  rootBytes,
  stored,
}: TransferQuestion): TransferFacts {
  const { part } = tree;
  const holds = holdingsWith(target, clusterSize);
  const { paths, joined, renamed, tooLong, above } = mapNames(tree.entries, { folder, under }, holds, existing);
  const entries = part ? tree.entries.filter((e) => goesWith(e, part)) : tree.entries;
  const files = entries.filter((e) => e.kind !== 'folder' && e.stream === undefined);
  const takes = takenBy({ target, clusterSize, stored });
  const names = entries.reduce((sum, e) => sum + takes.name(e), 0);
  const folders = entries.filter((e) => e.kind === 'folder');
  const arriving = arrivalsAt(tree, { paths, joined, above }).map((a) => a.path);
  const crowded = crowdedIn([...standing(existing), ...arriving], holds, rootBytes);
  return {
    files: files.length,
    folders: folders.length,
    bytes: entries.reduce((sum, e) => sum + (e.kind === 'folder' ? 0 : e.size), 0),
    needs: entries.reduce((sum, e) => sum + takes.clusters(e), names) + (holds.ahead ?? 0),
    structures: folders.reduce((sum, e) => sum + takes.clusters(e), names) + (holds.ahead ?? 0),
    listing: listingOf(tree),
    loses: lossesOf(entries, source.holds, holds, joined),
    attributes: attributesLost(entries, holds),
    renamed: {
      count: renamed.length,
      some: renamed.slice(0, LISTED).map((path) => [path, paths.get(path)!] as const),
    },
    tooLong: tooLong.slice(0, LISTED),
    tooLarge: files
      .filter((f) => f.size > target.maxFileBytes)
      .slice(0, LISTED)
      .map((f) => f.path),
    ...(crowded.length > 0 ? { crowded: crowded.slice(0, LISTED) } : {}),
  };
}

/** What is on the target by a transfer, and was not before; streams not among it. */
export function arrivals({ tree, folder, under, target, clusterSize, existing }: TransferQuestion): Placed[] {
  return arrivalsAt(tree, mapNames(tree.entries, { folder, under }, holdingsWith(target, clusterSize), existing));
}

function arrivalsAt({ entries }: Tree, { paths, joined, above }: Pick<Mapped, 'paths' | 'joined' | 'above'>): Placed[] {
  const made = above.map((path) => ({ path, kind: 'folder' }));
  const own = entries.flatMap(({ path, kind, stream }) =>
    stream !== undefined || joined.has(path) || !paths.has(path) ? [] : [{ path: paths.get(path)!, kind }],
  );
  return [...made, ...own];
}

/** Bytes that an entry takes on the target at most: its clusters, and its name where it is listed. */
export function takenBy({
  target,
  clusterSize,
  stored,
}: Pick<TransferQuestion, 'target' | 'clusterSize' | 'stored'>): Record<'clusters' | 'name', (e: FileEntry) => number> {
  const { holeClusters, keeps, entryBytes } = holdingsWith(target, clusterSize);
  const packs = keeps.includes('compression');
  const clusters = (e: FileEntry): number => {
    if (e.kind === 'folder') return clusterSize;
    const inUnits = e.attributes.includes('sparse') || (packs && e.attributes.includes(COMPRESSED));
    if (!holeClusters || !inUnits) return ceilTo(e.size, clusterSize);
    const whole = ceilTo(e.size, holeClusters * clusterSize);
    const known = stored?.get(e.path);
    return known ? Math.min(whole, known.bytes + 2 * known.stretches * holeClusters * clusterSize) : whole;
  };
  return { clusters, name: (e) => entryBytes(nameIn(e.path).length) };
}

const standing = (existing: readonly Placed[]): string[] =>
  existing.flatMap(({ path, stream }) => (stream === undefined ? [path] : []));

/** Folders that would have more in them than they can. */
function crowdedIn(all: Iterable<string>, { folderRoom }: Holdings, rootBytes: number | undefined): string[] {
  if (!folderRoom) return [];
  const taken = new Map<string, number>();
  // A root has its label, another folder itself and what it is in.
  const own = (folder: string): number => folderRoom.takes('A') * (folder === '' ? 1 : 2);
  for (const path of all) {
    const folder = parentOf(path);
    taken.set(folder, (taken.get(folder) ?? own(folder)) + folderRoom.takes(nameIn(path)));
  }
  const root = rootBytes ?? folderRoom.root ?? folderRoom.most;
  return [...taken].flatMap(([folder, bytes]) => (bytes > (folder === '' ? root : folderRoom.most) ? [folder] : []));
}

/** Words of attributes that are told of by what is lost with them. */
const TOLD = new Set([COMPRESSED, 'encrypted', 'reparse point', 'extended attributes']);

function lossesOf(
  entries: readonly FileEntry[],
  source: Holdings,
  target: Holdings,
  joined: ReadonlySet<string>,
): TransferFacts['loses'] {
  const streams = entries.filter((e) => e.stream !== undefined);
  // A folder that is gone into keeps what is stored of it there.
  const kept = target.keeps.includes('streams') ? streams.filter((e) => !joined.has(standsAt(e))).length : 0;
  const seen = new Set<number>();
  const counts: Record<Kept, number> = {
    streams: streams.length - kept,
    'hard links': entries.filter((e) => e.kind === 'file' && (seen.has(e.id) || !seen.add(e.id))).length,
    links: entries.filter((e) => linkOf(e) === 'links').length,
    'path links': entries.filter((e) => linkOf(e) === 'path links').length,
    'special files': entries.filter((e) => e.kind === 'special').length,
    owners: source.keeps.includes('owners') ? entries.length : 0,
    'extended attributes': entries.filter((e) => e.attributes.includes('extended attributes')).length,
    rights: source.keeps.includes('rights') ? entries.length : 0,
    'change times': source.keeps.includes('change times') ? entries.length : 0,
    compression: entries.filter((e) => e.attributes.includes(COMPRESSED)).length,
    encryption: entries.filter((e) => e.attributes.includes('encrypted')).length,
  };
  const lost = KEPT.filter((what) => counts[what] > 0 && (what === 'streams' || !target.keeps.includes(what)));
  return Object.fromEntries(lost.map((what) => [what, counts[what]]));
}

function attributesLost(entries: readonly FileEntry[], target: Holdings): Record<string, number> {
  const out: Record<string, number> = {};
  for (const { attributes } of entries)
    for (const word of attributes)
      if (!TOLD.has(word) && !target.attributes.includes(word)) out[word] = (out[word] ?? 0) + 1;
  return out;
}
