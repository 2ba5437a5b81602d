/** Taking a tree to another volume: every entry with all that its new kind can hold. */
import type { BlockDevice } from '@/core/device';
import type { FileEntry, Holdings, NewContent, NewFileFacts, Volume, VolumeWriter } from '@/core/fs';
import type { Tree } from './list-tree';
import { canHold } from './links';
import { mapNames, timesAbove, type Placed, type Places } from './names';
import { standsAt } from './part';

/** Where a tree comes from. */
export interface TreeSource {
  readonly volume: Volume;
  /** The window that the volume is in. */
  readonly device: BlockDevice;
  readonly tree: Tree;
}

const NOTHING: NewContent = { kind: 'bytes', bytes: new Uint8Array() };

/** What is stored of folders that are made above a tree. */
export const factsAbove = (tree: Tree): Pick<NewFileFacts, 'times' | 'attributes'> => ({
  attributes: [],
  times: timesAbove(tree.entries, tree.folder),
});

/**
 * Adds the tree by a writer, which the caller finishes.
 * @throws CoreError `fs.*`, `device.read-failed`; the signal's reason when aborted
 */
export async function carryOut(
  { volume, device, tree }: TreeSource,
  places: Places,
  holds: Holdings,
  existing: Iterable<Placed>,
  writer: VolumeWriter,
  signal?: AbortSignal,
): Promise<void> {
  const { entries } = tree;
  const { paths, above, joined } = mapNames(entries, places, holds, existing);
  for (const path of above) await writer.mkdir(path, factsAbove(tree));
  const streams = streamsOf(entries);
  const first = new Map<number, string>();
  const has = (what: Holdings['keeps'][number]): boolean => holds.keeps.includes(what);
  const factsOf = async (entry: FileEntry): Promise<NewFileFacts> => {
    const { times, attributes } = entry;
    const { security, changed, reparse, folder, owner, extended, path, special } =
      has('rights') || has('owners') ? await volume.details(entry) : {};
    const named = has('streams') ? (streams.get(entry.path) ?? []) : [];
    return {
      times,
      attributes: attributes.filter((word) => holds.attributes.includes(word)),
      ...(security ? { security } : {}),
      ...(changed ? { changed } : {}),
      ...(owner ? { owner } : {}),
      ...(extended ? { extended } : {}),
      ...(path && entry.kind === 'link' ? { path } : {}),
      ...(special ? { special } : {}),
      ...(reparse && entry.kind === 'link' ? { reparse, folder: folder ?? false } : {}),
      streams: named.map((s) => ({ name: s.stream!, content: contentOf(volume, device, s) })),
    };
  };
  for (const entry of entries) {
    signal?.throwIfAborted();
    if (entry.stream !== undefined || joined.has(entry.path)) continue;
    const to = paths.get(entry.path)!;
    if (entry.kind === 'folder') {
      await writer.mkdir(to, await factsOf(entry));
      continue;
    }
    if (!canHold(holds, entry)) continue;
    const known = first.get(entry.id);
    if (known !== undefined && has('hard links')) await writer.hardLink(to, known);
    else if (entry.kind !== 'file') {
      const facts = await factsOf(entry);
      if (facts.reparse && facts.folder) await writer.mkdir(to, facts);
      else await writer.writeFile(to, NOTHING, facts);
    } else await writer.writeFile(to, contentOf(volume, device, entry), await factsOf(entry));
    if (known === undefined) first.set(entry.id, to);
  }
}

function streamsOf(entries: readonly FileEntry[]): Map<string, FileEntry[]> {
  const out = new Map<string, FileEntry[]>();
  for (const entry of entries) {
    if (entry.stream === undefined) continue;
    const owner = standsAt(entry);
    const list = out.get(owner);
    if (list) list.push(entry);
    else out.set(owner, [entry]);
  }
  return out;
}

const contentOf = (volume: Volume, device: BlockDevice, entry: FileEntry): NewContent => ({
  kind: 'from',
  device,
  runs: volume.content(entry),
  size: entry.size,
});
