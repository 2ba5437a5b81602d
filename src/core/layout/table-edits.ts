/** Edits of the table itself: a new one, another kind with every volume kept, a mended one, marks of its entries. */
import { hiddenCode, type VolumeFlag } from '@/core/table';
import { floorTo, formatSize } from '@/core/size';
import {
  ALIGNMENT,
  boundOf,
  endOf,
  isMade,
  lastUsable,
  nameOf,
  tableEnd,
  volumeOf,
  type Bounds,
  type Layout,
  type TableKind,
  type VolumeId,
} from './layout';
import { settle } from './placement';
import { refuse, type Edited } from './edits';

const KIND_WORDS: Readonly<Record<TableKind, string>> = {
  none: 'no table',
  mbr: 'a master boot record',
  gpt: 'a GUID table',
};

/** An empty table in place of whatever there is. Every volume is taken out; guarded ones need `override`. */
export function newTable(layout: Layout, kind: Exclude<TableKind, 'none'>, override = false): Edited {
  const guarded = layout.volumes.find((v) => v.guarded);
  if (guarded && !override) return refuse(`${nameOf(guarded)} is guarded. Lift the guard first.`);
  const { tableEntries: _old, ...rest } = layout;
  const next = { ...rest, table: kind, volumes: [], mendTable: true };
  return { ok: true, layout: next, name: `New table: ${KIND_WORDS[kind]}`, notes: [] };
}

/**
 * The other kind of table with every volume where it is. The last volume gives up what the copy of a GUID table needs
 * at the end of the disk.
 */
export function convertTable(layout: Layout, bounds: Bounds, kind: Exclude<TableKind, 'none'>): Edited {
  if (layout.table === kind) return refuse(`The disk has ${KIND_WORDS[kind]} already.`);
  if (layout.table === 'none')
    return refuse('A file system without a table begins where the table would have to go. Copy it to a disk with one.');
  const { tableEntries: _old, ...rest } = layout;
  const next: Layout = { ...rest, table: kind };
  const last = layout.volumes.at(-1);
  const limit = lastUsable(next);
  const [first] = layout.volumes;
  if (kind === 'gpt' && first && first.start < tableEnd(next))
    return refuse(`${nameOf(first)} begins where the table has to go.`);
  const notes: string[] = [];
  let { volumes } = next;
  if (last && endOf(last) > limit) {
    if (kind === 'mbr')
      return refuse(
        `A master boot record reaches ${formatSize(limit)} with sectors of ${layout.sectorSize} bytes, and ${nameOf(last)} ends behind that.`,
      );
    const length = floorTo(limit - last.start, ALIGNMENT);
    const floor = isMade(last) ? 0 : (boundOf(last, bounds)?.floor ?? Infinity);
    if (last.guarded || length < floor)
      return refuse(
        `The copy of the table needs the last ${formatSize(layout.diskSize - limit)} of the disk, and ${nameOf(last)} can’t give them.`,
      );
    volumes = [...volumes.slice(0, -1), { ...last, length }];
    notes.push(`${nameOf(last)} ends ${formatSize(last.length - length)} earlier, for the copy of the table.`);
  }
  const plain = volumes.map((v) => ({ ...v, logical: false, active: kind === 'mbr' ? v.active : false }));
  const settled = settle({ ...next, volumes: plain }, bounds);
  if (!settled.ok) return settled;
  const name = `Convert to ${KIND_WORDS[kind]}`;
  return { ok: true, layout: settled.layout, name, notes: [...notes, ...settled.notes] };
}

/** Has the table written again, so that a damaged or misplaced copy is mended. */
export function mendTable(layout: Layout): Edited {
  if (layout.table === 'none') return refuse('There is no table to mend.');
  return { ok: true, layout: { ...layout, mendTable: true }, name: 'Mend the table', notes: [] };
}

/** Has everything mended that has a second copy or follows from something else; of the table too, where `table` says so. */
export function mendAll(layout: Layout, table: boolean): Edited {
  const next = { ...layout, mend: true, ...(table ? { mendTable: true } : {}) };
  return { ok: true, layout: next, name: 'Mend what can be mended', notes: [] };
}

/** Gives a volume that is longer than its place the room that it says it has, where nothing else is. */
export function giveRoom(layout: Layout, id: VolumeId, length: number): Edited {
  const volume = volumeOf(layout, id);
  const end = volume.start + length;
  const next = layout.volumes.find((v) => v.start >= endOf(volume));
  const limit = next?.start ?? lastUsable(layout);
  if (end > limit)
    return refuse(
      `${nameOf(volume)} says that it has ${formatSize(length)}, and there are ${formatSize(limit - volume.start)}.`,
    );
  const volumes = layout.volumes.map((v) => (v.id === id ? { ...v, length } : v));
  return { ok: true, layout: { ...layout, volumes }, name: `Give ${nameOf(volume)} its room`, notes: [] };
}

/** Takes that back. */
export function mendNothing(layout: Layout): Edited {
  const { mend: _mend, ...rest } = layout;
  return { ok: true, layout: rest, name: 'Mend nothing', notes: [] };
}

/** Sets or takes a mark of a volume's table entry. */
export function setFlag(layout: Layout, id: VolumeId, flag: VolumeFlag, on: boolean): Edited {
  const volume = volumeOf(layout, id);
  if (layout.table === 'none') return refuse('Marks stand in a table, and there is none.');
  const flags = on ? [...new Set([...volume.flags, flag])] : volume.flags.filter((f) => f !== flag);
  const replaced = (change: Partial<typeof volume>): Layout => ({
    ...layout,
    volumes: layout.volumes.map((v) => (v.id === id ? { ...v, ...change } : v)),
  });
  const name = `${on ? 'Mark' : 'Unmark'} ${nameOf(volume)} as ${flag}`;
  if (layout.table === 'gpt') return { ok: true, layout: replaced({ flags }), name, notes: [] };
  const type = flag === 'hidden' ? hiddenCode(volume.type, on) : undefined;
  if (type === undefined) return refuse(`A master boot record has no mark “${flag}” for ${nameOf(volume)}.`);
  return { ok: true, layout: replaced({ flags, type }), name, notes: [] };
}

/** What a person wants a volume of a master boot record to be, or nothing, which leaves it to the number of entries. */
export function setPlacement(
  layout: Layout,
  bounds: Bounds,
  id: VolumeId,
  placement: 'primary' | 'logical' | undefined,
): Edited {
  const volume = volumeOf(layout, id);
  if (layout.table !== 'mbr') return refuse('Only a master boot record has logical volumes.');
  const { placement: _old, ...rest } = volume;
  const wished = { ...rest, ...(placement ? { placement } : {}) };
  const volumes = layout.volumes.map((v) => (v.id === id ? wished : v));
  const settled = settle({ ...layout, volumes }, bounds);
  if (!settled.ok) return settled;
  return { ...settled, name: `Make ${nameOf(volume)} ${placement ?? 'primary or logical by itself'}` };
}
