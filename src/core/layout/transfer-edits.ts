/** What goes from volume to volume in a plan: folders that move, and volumes that are merged into a folder of another. */
import { HERE, type VolumeRef } from '@/core/place';
import { formatSize } from '@/core/size';
import { resizeEnd, type Edited } from './edits';
import { endOf, lastUsable, nameOf, volumeOf } from './layout';
import type { Bounds, LaidVolume, Layout, VolumeId } from './layout';
import { refuse } from './refusals';
import { removeVolume } from './several-edits';

/** A folder, or everything on a volume, that is to go to another one. Plain data. */
export interface TransferWish {
  readonly from: VolumeRef;
  /** What the volume it comes from is called in sentences. */
  readonly fromName: string;
  readonly to: VolumeId;
  /** Empty for everything on the volume. */
  readonly folder: string;
  /** The path that the folder itself gets. */
  readonly under: string;
  /** What becomes of it where it was; `back` takes it away there, and brings it back when all else is done. */
  readonly then: 'keep' | 'remove' | 'back';
  /** A link to its new place is left at the old one. */
  readonly leave?: 'link';
}

const sameFolder = (a: TransferWish, b: TransferWish): boolean =>
  a.from.disk === b.from.disk && a.from.number === b.from.number && a.folder === b.folder && a.to === b.to;

/** What is asked for in words. */
export function transferWords(layout: Layout, { from, folder, fromName, to, then }: TransferWish): string {
  const target = layout.volumes.find((v) => v.id === to);
  const away = from.disk === HERE ? '' : ` of ${fromName}`;
  const what = folder ? `${folder}${away}` : `everything on ${fromName}`;
  const where = target ? nameOf(target) : 'another volume';
  if (then === 'back') return `Park ${what} on ${where} meanwhile`;
  return `${then === 'remove' ? 'Move' : 'Copy'} ${what} to ${where}`;
}

/** Has a folder go to a volume; the same one once more takes the place of the first. */
export function addTransfer(layout: Layout, wish: TransferWish): Edited {
  const target = volumeOf(layout, wish.to);
  if (target.guarded) return refuse('guarded', { volume: nameOf(target) });
  const { origin } = target;
  if (origin.kind === 'kept' && wish.from.disk === HERE && origin.number === wish.from.number)
    return refuse('transfer.same', { volume: nameOf(target) });
  const others = (layout.transfers ?? []).filter((t) => !sameFolder(t, wish));
  const next = { ...layout, transfers: [...others, wish] };
  return { ok: true, layout: next, name: transferWords(layout, wish), notes: [] };
}

/** How folders of a volume go to another one. */
export type FolderWish = Pick<TransferWish, 'to' | 'then' | 'leave'>;

/** A volume that folders come from. */
export type FolderSource = Pick<TransferWish, 'from' | 'fromName'>;

/** Has folders of a volume of this disk go to another one, each with its own name, beside what is there. */
export function addFolders(layout: Layout, id: VolumeId, paths: readonly string[], wish: FolderWish): Edited {
  const source = volumeOf(layout, id);
  if (source.origin.kind !== 'kept') return refuse('transfer.not-there', { volume: nameOf(source) });
  const from = { disk: HERE, number: source.origin.number };
  return takeFolders(layout, { from, fromName: nameOf(source) }, paths, wish);
}

/** The same from a volume of any disk. */
export function takeFolders(layout: Layout, source: FolderSource, paths: readonly string[], wish: FolderWish): Edited {
  let result: Edited = refuse('transfer.no-folder', {});
  let next = layout;
  for (const folder of paths) {
    const under = folder.slice(folder.lastIndexOf('/') + 1);
    result = addTransfer(next, { ...wish, ...source, folder, under });
    if (!result.ok) return result;
    next = result.layout;
  }
  return result;
}

/** Takes a transfer out of the plan. */
export function removeTransfer(layout: Layout, wish: TransferWish): Edited {
  const transfers = (layout.transfers ?? []).filter((t) => !sameFolder(t, wish));
  return { ok: true, layout: { ...layout, transfers }, name: `Not: ${transferWords(layout, wish)}`, notes: [] };
}

/** Merges a volume into a folder of another one, which takes the room that becomes free where it stands right behind. */
export function mergeVolume(layout: Layout, bounds: Bounds, id: VolumeId, to: VolumeId, under: string): Edited {
  const source = volumeOf(layout, id);
  const target = volumeOf(layout, to);
  if (source.origin.kind !== 'kept') return refuse('transfer.not-there', { volume: nameOf(source) });
  const added = addTransfer(layout, {
    from: { disk: HERE, number: source.origin.number },
    fromName: nameOf(source),
    to,
    folder: '',
    under,
    then: 'remove',
  });
  if (!added.ok) return added;
  const removed = removeVolume(added.layout, id);
  if (!removed.ok) return removed;
  const grown = grownOver(removed.layout, bounds, target, source);
  return {
    ok: true,
    layout: grown,
    name: `Merge ${nameOf(source)} into ${nameOf(target)}${under ? `, as ${under}` : ''}`,
    notes: grown === removed.layout ? [`${formatSize(source.length)} become unallocated.`] : [],
  };
}

/** The target as long as it can be where the volume that goes stood behind it; else as it was. */
function grownOver(layout: Layout, bounds: Bounds, target: LaidVolume, source: LaidVolume): Layout {
  const next = layout.volumes.find((v) => v.start >= endOf(target));
  if (source.start < endOf(target) || (next && next.start < source.start)) return layout;
  const grown = resizeEnd(layout, bounds, target.id, (next?.start ?? lastUsable(layout)) - target.start);
  return grown.ok ? grown.layout : layout;
}
