/** The entries of the table that a planned layout needs. */
import { CoreError } from '@/core/errors';
import type { Survey } from '@/core/inspect';
import type { Layout } from '@/core/layout';
import { MBR_ENTRIES, type MbrEntry } from '@/core/table';

/**
 * Kept volumes stay in their slots, new ones take the first free one.
 * @throws CoreError `table.full`
 */
export function tableEntries(survey: Survey, planned: Layout): MbrEntry[] {
  const slots = new Map<number, MbrEntry>();
  const entry = (slot: number, v: Layout['volumes'][number]): MbrEntry => ({
    slot,
    active: v.active,
    type: v.type,
    startLba: v.start / survey.sectorSize,
    lengthSectors: v.length / survey.sectorSize,
  });
  for (const volume of planned.volumes) {
    const { origin } = volume;
    if (origin.kind !== 'kept') continue;
    const slot = survey.volumes.find((v) => v.number === origin.number)!.slot!;
    slots.set(slot, entry(slot, volume));
  }
  for (const volume of planned.volumes) {
    if (volume.origin.kind === 'kept') continue;
    const slot = [0, 1, 2, 3].find((s) => !slots.has(s));
    if (slot === undefined) throw new CoreError('table.full', { entries: MBR_ENTRIES });
    slots.set(slot, entry(slot, volume));
  }
  return [...slots.values()].sort((a, b) => a.slot - b.slot);
}
