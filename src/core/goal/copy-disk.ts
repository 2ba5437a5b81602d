/** A whole disk onto another one: its table, and every volume, with the room shared out. */
import {
  ALIGNMENT,
  asVolumeId,
  firstUsable,
  laidCopy,
  lastUsable,
  nameOf,
  newTable,
  settle,
  type CopySource,
  type CopyWish,
  type Layout,
  type TableKind,
} from '@/core/layout';
import { ceilTo, floorTo, formatSize } from '@/core/size';

/** Whether volumes take the room that a larger disk has, or stay as long as they are. */
export type Sharing = 'grown' | 'kept';

/** What is copied, and how. */
export interface DiskCopyWish {
  readonly sources: readonly CopySource[];
  /** The kind of table the disk has that is copied. */
  readonly table: TableKind;
  readonly sharing: Sharing;
  readonly identity: NonNullable<CopyWish['identity']>;
}

/** The planned layout, or why there is none; `least` is the size of a disk that would do, where size is the reason. */
export type DiskCopy =
  | { readonly ok: true; readonly layout: Layout; readonly name: string; readonly notes: readonly string[] }
  | { readonly ok: false; readonly reason: string; readonly least?: number };

/** Fills a plan: all volumes of another disk in its order, on a new table. What is on this disk goes. */
export function copyDisk(now: Layout, { sources, table, sharing, identity }: DiskCopyWish): DiskCopy {
  const [first] = sources;
  if (!first) return { ok: false, reason: 'There is no volume on that disk.' };
  const { diskName } = first.origin;
  const guarded = now.volumes.find((v) => v.guarded);
  if (guarded) return { ok: false, reason: `${nameOf(guarded)} is guarded. Lift the guard first.` };
  const needsGpt = lastUsable({ ...now, table: 'mbr' }) < now.diskSize;
  const kind = table === 'gpt' || needsGpt ? 'gpt' : 'mbr';
  const tabled = newTable(now, kind, true);
  if (!tabled.ok) return tabled;
  const empty = { ...tabled.layout, volumes: [] };
  // Each logical volume has its boot record before it.
  const apart = kind === 'mbr' && sources.length > 4 ? ALIGNMENT : 0;
  const room = floorTo(lastUsable(empty), ALIGNMENT) - firstUsable(empty) - apart * sources.length;
  const lengths = shared(sources, room, sharing);
  if (typeof lengths === 'number') {
    const least = now.diskSize + lengths;
    const reason = `The volumes of ${diskName} can’t be made small enough for this disk: one of ${formatSize(least)} would do.`;
    return { ok: false, reason, least };
  }
  let at = firstUsable(empty);
  const active = sources.findIndex((s) => s.volume.active);
  const volumes = sources.map((source, i) => {
    const start = at + apart;
    at = ceilTo(start + lengths[i]!, ALIGNMENT);
    const copy = laidCopy(source, asVolumeId(`new-${i + 1}`), { start, length: lengths[i]! }, { identity });
    return { ...copy, active: kind === 'mbr' && i === active };
  });
  const settled = settle({ ...empty, volumes }, new Map());
  if (!settled.ok) return settled;
  const notes =
    needsGpt && table !== 'gpt'
      ? ['The table is a GUID table: a master boot record can’t reach the end of this disk.']
      : [];
  return {
    ok: true,
    layout: settled.layout,
    name: `Copy ${diskName} onto this disk`,
    notes: [...notes, ...settled.notes],
  };
}

/** What a volume can give up or take, and how much of what there is goes to it. */
interface Share {
  readonly length: number;
  readonly floor: number;
  readonly ceiling: number;
}

/** Bytes of each volume; or how much is missing, as a number. */
function shared(sources: readonly CopySource[], room: number, sharing: Sharing): readonly number[] | number {
  const shares = sources.map(({ origin: { length, bounds }, volume: { role } }): Share => {
    const grows = bounds && (role === 'data' || role === 'system');
    const ceiling = grows ? Math.max(length, floorTo(bounds.ceiling, ALIGNMENT)) : length;
    const floor = bounds ? Math.min(length, ceilTo(bounds.floor, ALIGNMENT)) : length;
    return { length, floor, ceiling };
  });
  // A volume that does not end between two units takes the rest of its last one.
  const taken = (lengths: readonly number[]): number => lengths.reduce((sum, n) => sum + ceilTo(n, ALIGNMENT), 0);
  const left = room - taken(shares.map((s) => s.length));
  if (left < 0) return shrunk(shares, room, taken);
  return sharing === 'kept' ? shares.map((s) => s.length) : grown(shares, left);
}

function shrunk(
  shares: readonly Share[],
  room: number,
  taken: (lengths: readonly number[]) => number,
): readonly number[] | number {
  const spare = room - taken(shares.map((s) => s.floor));
  if (spare < 0) return ceilTo(-spare, ALIGNMENT);
  const slack = shares.reduce((sum, s) => sum + s.length - s.floor, 0);
  return shares.map((s) => {
    const more = slack > 0 ? floorTo((spare * (s.length - s.floor)) / slack, ALIGNMENT) : 0;
    return Math.min(s.length, s.floor + more);
  });
}

/** In proportion to what they are; what one can’t take goes to the others. */
function grown(shares: readonly Share[], left: number): number[] {
  const lengths = shares.map((s) => s.length);
  for (let spare = left, turn = 0; spare >= ALIGNMENT && turn < shares.length; turn++) {
    const open = [...shares.keys()].filter((i) => lengths[i]! < shares[i]!.ceiling);
    const whole = open.reduce((sum, i) => sum + shares[i]!.length, 0);
    for (const i of open) {
      const more = floorTo((spare * shares[i]!.length) / whole, ALIGNMENT);
      const before = ceilTo(lengths[i]!, ALIGNMENT);
      lengths[i] = Math.min(shares[i]!.ceiling, before + more);
    }
    const used = lengths.reduce((sum, n) => sum + ceilTo(n, ALIGNMENT), 0);
    spare = left - (used - shares.reduce((sum, s) => sum + ceilTo(s.length, ALIGNMENT), 0));
  }
  return lengths;
}
