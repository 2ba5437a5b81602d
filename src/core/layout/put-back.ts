/** Volumes that no entry of the table names, put back into it. */
import { refuse, replace, type Edited } from './edits';
import { endOf, lastUsable, nameOf, tableEnd, type Bounds, type LaidVolume, type Layout } from './layout';
import { settle } from './placement';

/** Puts a volume that was found back into the table, at its place. */
export function putBack(layout: Layout, bounds: Bounds, found: LaidVolume): Edited {
  if (layout.table === 'none') return refuse('The disk has no table to put it into. Make one first.');
  if (layout.volumes.some((v) => v.id === found.id)) return refuse(`${nameOf(found)} is put back already.`);
  const hit = layout.volumes.find((v) => v.start < endOf(found) && found.start < endOf(v));
  if (hit) return refuse(`${nameOf(hit)} is planned where ${nameOf(found)} lies.`);
  if (found.start < tableEnd(layout) || endOf(found) > lastUsable(layout))
    return refuse(`${nameOf(found)} lies where the table has to be.`);
  const settled = settle(replace(layout, [found]), bounds);
  if (!settled.ok) return refuse(settled.reason);
  return { ok: true, layout: settled.layout, name: `Put ${nameOf(found)} back`, notes: settled.notes };
}
