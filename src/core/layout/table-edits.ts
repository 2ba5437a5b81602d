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
import type { Edited } from './edits';
import { refuse } from './refusals';

const KIND_WORDS: Readonly<Record<TableKind, string>> = {
  none: 'no table',
  mbr: 'a master boot record',
  gpt: 'a GUID table',
};

/** An empty table in place of whatever there is. Every volume is taken out; guarded ones need `override`. */
export function newTable(layout: Layout, kind: Exclude<TableKind, 'none'>, override = false): Edited {
  const guarded = layout.volumes.find((v) => v.guarded);
  if (guarded && !override) return refuse('guarded', { volume: nameOf(guarded) });
  const { tableEntries: _old, ...rest } = layout;
  const next = { ...rest, table: kind, volumes: [], mendTable: true };
  return { ok: true, layout: next, name: `New table: ${KIND_WORDS[kind]}`, notes: [] };
}

/**
 * The other kind of table with every volume where it is. The last volume gives up what the copy of a GUID table needs
 * at the end of the disk.
 */
export function convertTable(layout: Layout, bounds: Bounds, kind: Exclude<TableKind, 'none'>): Edited {
  if (layout.table === kind) return refuse('table.same', { table: KIND_WORDS[kind] });
  if (layout.table === 'none') return refuse('table.untabled', {});
  const { tableEntries: _old, ...rest } = layout;
  const next: Layout = { ...rest, table: kind };
  const last = layout.volumes.at(-1);
  const limit = lastUsable(next);
  const [first] = layout.volumes;
  if (kind === 'gpt' && first && first.start < tableEnd(next))
    return refuse('table.in-the-way', { volume: nameOf(first) });
  const notes: string[] = [];
  let { volumes } = next;
  if (last && endOf(last) > limit) {
    const { sectorSize } = layout;
    if (kind === 'mbr') return refuse('table.too-far', { volume: nameOf(last), bytes: limit, sectorSize });
    const length = floorTo(limit - last.start, ALIGNMENT);
    const floor = isMade(last) ? 0 : (boundOf(last, bounds)?.floor ?? Infinity);
    if (last.guarded || length < floor)
      return refuse('table.copy-room', { volume: nameOf(last), bytes: layout.diskSize - limit });
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
  if (layout.table === 'none') return refuse('table.none-to-mend', {});
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
  if (end > limit) return refuse('size.claimed', { volume: nameOf(volume), says: length, has: limit - volume.start });
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
  if (layout.table === 'none') return refuse('table.none-for-marks', {});
  const flags = on ? [...new Set([...volume.flags, flag])] : volume.flags.filter((f) => f !== flag);
  const replaced = (change: Partial<typeof volume>): Layout => ({
    ...layout,
    volumes: layout.volumes.map((v) => (v.id === id ? { ...v, ...change } : v)),
  });
  const name = `${on ? 'Mark' : 'Unmark'} ${nameOf(volume)} as ${flag}`;
  if (layout.table === 'gpt') return { ok: true, layout: replaced({ flags }), name, notes: [] };
  const type = flag === 'hidden' ? hiddenCode(volume.type, on) : undefined;
  if (type === undefined) return refuse('table.no-mark', { volume: nameOf(volume), flag });
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
  if (layout.table !== 'mbr') return refuse('table.not-mbr', { what: 'logical volumes' });
  const { placement: _old, ...rest } = volume;
  const wished = { ...rest, ...(placement ? { placement } : {}) };
  const volumes = layout.volumes.map((v) => (v.id === id ? wished : v));
  const settled = settle({ ...layout, volumes }, bounds);
  if (!settled.ok) return settled;
  return { ...settled, name: `Make ${nameOf(volume)} ${placement ?? 'primary or logical by itself'}` };
}
