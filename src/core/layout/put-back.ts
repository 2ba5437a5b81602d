/** Volumes that no entry of the table names, put back into it. */
import { replace, type Edited } from './edits';
import { endOf, lastUsable, nameOf, tableEnd, type Bounds, type LaidVolume, type Layout } from './layout';
import { settle } from './placement';
import { refuse } from './refusals';

/** Puts a volume that was found back into the table, at its place. */
export function putBack(layout: Layout, bounds: Bounds, found: LaidVolume): Edited {
  if (layout.table === 'none') return refuse('table.none-to-enter', {});
  if (layout.volumes.some((v) => v.id === found.id)) return refuse('back.already', { volume: nameOf(found) });
  const hit = layout.volumes.find((v) => v.start < endOf(found) && found.start < endOf(v));
  if (hit) return refuse('back.taken', { volume: nameOf(found), by: nameOf(hit) });
  if (found.start < tableEnd(layout) || endOf(found) > lastUsable(layout))
    return refuse('back.table', { volume: nameOf(found) });
  const settled = settle(replace(layout, [found]), bounds);
  if (!settled.ok) return settled;
  return { ok: true, layout: settled.layout, name: `Put ${nameOf(found)} back`, notes: settled.notes };
}
