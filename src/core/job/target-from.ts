/** A planned layout as the target that leads to it: what was drawn, written down. */
import { layoutOf, type Survey } from '@/core/inspect';
import type { LaidVolume, Layout, TransferWish, VolumeId, WipeWish } from '@/core/layout';
import { isHere, type DiskId } from '@/core/place';
import type { TargetInput } from './target';

type Entry = TargetInput['volumes'][number];

/** What other disks are called in the target, by what the layout knows them by. */
type DiskNames = ReadonlyMap<DiskId, string>;

const inBytes = (bytes: number): string => `${bytes} B`;

/**
 * The target of a layout. Resolved on the same disk it gives the same layout again, but for the identities of new volumes.
 * @throws RangeError where a volume is copied from a disk that has no name
 */
export function targetFrom(layout: Layout, survey: Survey, names: DiskNames = new Map()): TargetInput {
  const called = namesIn(layout);
  const kept = new Set(
    layout.volumes.flatMap(({ origin, format }) => (origin.kind === 'kept' && !format ? [origin.number] : [])),
  );
  const remove = survey.volumes.map((v) => v.number).filter((number) => !kept.has(number));
  const { transfers = [], wipes = [], mend, mendTable } = layout;
  const moved = reordered(layout, survey);
  return {
    ...(layout.table === 'none' ? {} : { table: layout.table }),
    volumes: layout.volumes.map((volume) => {
      const told = entryOf(volume, survey, names);
      const entry = 'keep' in told && moved ? { ...told, start: inBytes(volume.start) } : told;
      const as = called.get(volume.id);
      return as === undefined ? entry : { ...entry, as };
    }),
    ...(remove.length > 0 ? { remove } : {}),
    ...(transfers.length > 0 ? { transfers: transfers.map((t) => transferOf(t, called, names)) } : {}),
    ...(wipes.length > 0 ? { wipe: wipes.map((w) => wipeOf(w, layout)) } : {}),
    ...(mend ? { mend } : {}),
    ...(mendTable ? { mendTable } : {}),
  };
}

/** Names of the volumes that something is taken to. */
function namesIn({ transfers = [], volumes }: Layout): Map<VolumeId, string> {
  const out = new Map<VolumeId, string>();
  for (const { to } of transfers) if (!out.has(to)) out.set(to, `volume ${volumes.findIndex((v) => v.id === to) + 1}`);
  return out;
}

function nameOfDisk(disk: DiskId, names: DiskNames): string {
  const name = names.get(disk);
  if (name === undefined) throw new RangeError(`the disk ${disk} has no name`);
  return name;
}

function entryOf(volume: LaidVolume, survey: Survey, names: DiskNames): Exclude<Entry, { gap: string }> {
  const { origin, format, start, length, label, letter, role, active, flags } = volume;
  const place = { start: inBytes(start), size: inBytes(length) };
  const marks = { role, active, flags: [...flags] };
  const lettered = letter ? { letter } : {};
  if (origin.kind === 'copy') {
    const from = isHere(origin.of) ? {} : { from: nameOfDisk(origin.of.disk, names) };
    const identity = origin.identity === 'kept' ? 'keep' : 'new';
    return { copy: origin.of.number, ...from, ...place, label, ...lettered, ...marks, identity };
  }
  if (origin.kind === 'new' || format) {
    const { fileSystem: create, clusterSize, chosen: options, placement } = volume;
    return {
      ...{ create, ...place, label, ...lettered, ...marks },
      ...(clusterSize === undefined ? {} : { clusterSize }),
      ...(options ? { options } : {}),
      ...(format ? { format } : {}),
      ...(placement ? { placement } : {}),
    };
  }
  const found = survey.lost?.findIndex((v) => v.number === origin.number) ?? -1;
  if (found >= 0) return { find: found + 1, label, ...lettered, role, active };
  return { keep: origin.number, ...changed(volume, survey), ...lettered };
}

/** What becomes different about a volume that is kept: on a disk that is only like this one, the rest stays as it is there. */
function changed(volume: LaidVolume, survey: Survey): Omit<Extract<Entry, { keep: number }>, 'keep'> {
  const { start, length, label, role, active, flags } = volume;
  const was = layoutOf(survey).volumes.find((v) => v.id === volume.id);
  if (!was) return { start: inBytes(start), size: inBytes(length), label, role, active, flags: [...flags] };
  return {
    ...(start === was.start ? {} : { start: inBytes(start) }),
    ...(length === was.length ? {} : { size: inBytes(length) }),
    ...(label === was.label ? {} : { label }),
    ...(role === was.role ? {} : { role }),
    ...(active === was.active ? {} : { active }),
    ...([...flags].sort().join() === [...was.flags].sort().join() ? {} : { flags: [...flags] }),
  };
}

/** Whether some volume that is kept has another behind it that was before it: then each says where it begins. */
function reordered({ volumes }: Layout, survey: Survey): boolean {
  const starts = volumes.flatMap(({ origin, format }) => {
    if (origin.kind !== 'kept' || format) return [];
    return survey.volumes.filter((v) => v.number === origin.number).map((v) => v.start);
  });
  return starts.some((start, i) => i > 0 && start < starts[i - 1]!);
}

function transferOf(
  { from, to, folder, under, then, leave }: TransferWish,
  called: ReadonlyMap<VolumeId, string>,
  names: DiskNames,
): NonNullable<TargetInput['transfers']>[number] {
  const disk = isHere(from) ? {} : { disk: nameOfDisk(from.disk, names) };
  return {
    from: { ...disk, volume: from.number },
    ...{ folder, to: called.get(to)!, under, then },
    ...(leave ? { leave } : {}),
  };
}

function wipeOf(wish: WipeWish, layout: Layout): NonNullable<TargetInput['wipe']>[number] {
  const { what, passes, compare } = wish;
  const share = compare === 1 ? 'all' : compare === 0 ? 'none' : `1/${Math.round(1 / compare)}`;
  const how = { pattern: [...passes], compare: share };
  if (what === 'volume') return { what, volume: wish.number, ...how };
  if (what !== 'free') return { what, ...how };
  const { origin } = layout.volumes.find((v) => v.id === wish.volume)!;
  return { what, ...(origin.kind === 'kept' ? { volume: origin.number } : {}), ...how };
}
