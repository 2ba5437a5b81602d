/** What taking a tree to another volume comes to: how much it is, and what of it can't be kept there. Plain data. */
import { COMPRESSED, holdingsWith, type FileEntry, type Holdings, type Kept, type KindFacts } from '@/core/fs';
import { ceilTo } from '@/core/size';
import * as z from 'zod';
import { listingOf, type Tree } from './list-tree';
import { linkOf } from './links';
import { mapNames, nameIn, type Placed, type Places } from './names';
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
  readonly existing: Iterable<Placed>;
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
  stored,
}: TransferQuestion): TransferFacts {
  const { entries } = tree;
  const holds = holdingsWith(target, clusterSize);
  const { paths, renamed, tooLong } = mapNames(entries, { folder, under }, holds, existing);
  const files = entries.filter((e) => e.kind !== 'folder' && e.stream === undefined);
  const { holeClusters } = holds;
  const packs = holds.keeps.includes('compression');
  const clusters = (e: FileEntry): number => {
    if (e.kind === 'folder') return clusterSize;
    const inUnits = e.attributes.includes('sparse') || (packs && e.attributes.includes(COMPRESSED));
    if (!holeClusters || !inUnits) return ceilTo(e.size, clusterSize);
    const whole = ceilTo(e.size, holeClusters * clusterSize);
    const known = stored?.get(e.path);
    return known ? Math.min(whole, known.bytes + 2 * known.stretches * holeClusters * clusterSize) : whole;
  };
  const names = entries.reduce((sum, e) => sum + holds.entryBytes(nameIn(e.path).length), 0);
  return {
    files: files.length,
    folders: entries.filter((e) => e.kind === 'folder').length,
    bytes: entries.reduce((sum, e) => sum + (e.kind === 'folder' ? 0 : e.size), 0),
    needs: entries.reduce((sum, e) => sum + clusters(e), names),
    structures: entries.reduce((sum, e) => sum + (e.kind === 'folder' ? clusters(e) : 0), names),
    listing: listingOf(tree),
    loses: lossesOf(entries, source.holds, holds),
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
  };
}

/** Words of attributes that are told of by what is lost with them. */
const TOLD = new Set([COMPRESSED, 'encrypted', 'reparse point', 'extended attributes']);

function lossesOf(entries: readonly FileEntry[], source: Holdings, target: Holdings): TransferFacts['loses'] {
  const seen = new Set<number>();
  const counts: Record<Kept, number> = {
    streams: entries.filter((e) => e.stream !== undefined).length,
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
  const lost = KEPT.filter((what) => counts[what] > 0 && !target.keeps.includes(what));
  return Object.fromEntries(lost.map((what) => [what, counts[what]]));
}

function attributesLost(entries: readonly FileEntry[], target: Holdings): Record<string, number> {
  const out: Record<string, number> = {};
  for (const { attributes } of entries)
    for (const word of attributes)
      if (!TOLD.has(word) && !target.attributes.includes(word)) out[word] = (out[word] ?? 0) + 1;
  return out;
}
