/** The transfers that a target asks for, each looked at: what it comes to, and what of it can't be kept. */
import {
  arrivals,
  factsOfTransfer,
  listTree,
  storedSizes,
  wayBackOf,
  type Placed,
  type TransferQuestion,
  type Tree,
} from '@/core/files';
import { kindFacts, type Volume } from '@/core/fs';
import { volumeOf, type LaidVolume, type Layout, type TransferWish, type VolumeId } from '@/core/layout';
import { HERE, type VolumeRef } from '@/core/place';
import type { PlannedTransfer } from '@/core/plan';
import type { ResolvedTarget } from './resolve-target';
import { invalid, type Target } from './target';

/** Opens a volume of the disk itself, or of another one. */
export type OpenVolumeOf = (ref: VolumeRef) => Promise<Volume>;

/** A path without slashes around it. */
const trimmed = (path: string): string => path.replace(/^\/+|\/+$/g, '');

/**
 * What a target wishes, with what comes of volumes that are made anew.
 * @param disks the names of other disks
 * @throws CoreError `target.invalid`
 */
export function transferWishes(
  { transfers }: Target,
  { names, anew }: Pick<ResolvedTarget, 'names' | 'anew'>,
  disks: ReadonlySet<string>,
): TransferWish[] {
  const whole = anew.map(({ from, fromName, to }): TransferWish => ({
    from,
    fromName,
    to,
    folder: '',
    under: '',
    then: 'keep',
  }));
  const wished = transfers.map(({ from, to, folder: text, under, then, leave }) => {
    const target = names.get(to);
    if (!target) throw invalid(`no volume of the target is called ${to}`);
    if (from.disk !== undefined && !disks.has(from.disk)) throw invalid(`no disk is called ${from.disk}`);
    const folder = trimmed(text);
    const wanted = under === undefined ? folder.slice(folder.lastIndexOf('/') + 1) : trimmed(under);
    if (folder !== '' && wanted === '') throw invalid(`${folder} needs a path where it goes to`);
    const source = { disk: from.disk ?? HERE, number: from.volume };
    const fromName = `volume ${from.volume}${from.disk === undefined ? '' : ` of ${from.disk}`}`;
    return { from: source, fromName, to: target, folder, under: wanted, then, ...(leave ? { leave } : {}) };
  });
  return [...whole, ...wished];
}

/**
 * Looks at what is to be taken.
 * @throws CoreError `fs.*`, `device.read-failed` where a volume can't be opened, or a folder is not there
 */
export async function lookAtTransfers(
  wishes: readonly TransferWish[],
  layout: Layout,
  open: OpenVolumeOf,
): Promise<PlannedTransfer[]> {
  const out: PlannedTransfer[] = [];
  const existing = new Map<VolumeId, Standing>();
  for (const wish of wishes) {
    const volume = await open(wish.from);
    const tree = await listTree(volume, wish.folder);
    const target = volumeOf(layout, wish.to);
    const there = existing.get(target.id) ?? (await existingOn(target, open));
    existing.set(target.id, there);
    const { folder, under } = wish;
    const [source, park] = [kindFacts(volume.info.kind), kindFacts(target.fileSystem)];
    const clusterSize = clusterSizeOf(target, layout.sectorSize);
    const stored = await storedSizes(volume, tree.entries);
    const standing = { existing: [...there.existing, ...there.arrived], rootBytes: there.rootBytes };
    const question = { tree, folder, under, source, target: park, clusterSize, ...standing, stored };
    const facts = factsOfTransfer(question);
    // What comes after it meets what it brings.
    if (wishes.some((other) => other !== wish && other.to === wish.to))
      for (const arrival of arrivals(question)) there.arrived.push(arrival);
    const home = wish.then === 'back' ? homeOf(wish, layout) : undefined;
    const back = home && {
      back: wayBackOf({
        ...{ tree, folder, under, park, existing: there.existing, facts },
        home: kindFacts(home.fileSystem),
        clusterSize: clusterSizeOf(home, layout.sectorSize),
      }),
    };
    out.push({ ...wish, facts, ...back });
  }
  return out;
}

/** The volume that something is brought back to, where it stays. */
const homeOf = ({ from }: TransferWish, layout: Layout): LaidVolume | undefined =>
  from.disk === HERE
    ? layout.volumes.find((v) => v.origin.kind === 'kept' && v.origin.number === from.number)
    : undefined;

/** Bytes: what is chosen, or what a volume of that length gets. */
export function clusterSizeOf({ clusterSize, fileSystem, length }: LaidVolume, sectorSize: number): number {
  return clusterSize ?? kindFacts(fileSystem).defaultClusterSize(length, sectorSize) ?? sectorSize;
}

/** What is on the target before anything comes to it, and what has come to it by the transfers before. */
interface Standing extends Pick<TransferQuestion, 'rootBytes'> {
  readonly existing: Tree['entries'];
  readonly arrived: Placed[];
}

async function existingOn({ origin, format }: LaidVolume, open: OpenVolumeOf): Promise<Standing> {
  if (origin.kind === 'new' || format) return { existing: [], arrived: [] };
  const volume = await open(origin.kind === 'copy' ? origin.of : { disk: HERE, number: origin.number });
  return { existing: (await listTree(volume, '')).entries, arrived: [], rootBytes: volume.info.rootBytes };
}
