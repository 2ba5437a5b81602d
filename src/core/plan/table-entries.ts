/** The table that a planned layout needs. */
import { crc32, guidOf } from '@/core/bytes';
import { CoreError } from '@/core/errors';
import { findKind } from '@/core/fs';
import type { Survey } from '@/core/inspect';
import { ALIGNMENT, endOf, firstUsable, type LaidVolume, type Layout } from '@/core/layout';
import {
  MBR_ENTRIES,
  NO_ATTRIBUTES,
  TYPE_CODE,
  typeCodeFor,
  typeGuidFor,
  USUAL_ENTRIES,
  USUAL_ENTRY_SIZE,
  withFlags,
  type Container,
  type DiskTable,
  type GptDisk,
  type GptEntry,
  type LogicalEntry,
  type MbrDisk,
  type MbrEntry,
} from '@/core/table';

const EXTENDED_LBA = 0x0f;

/** @throws CoreError `table.full` */
export function tableFor(survey: Survey, planned: Layout): DiskTable {
  if (planned.table === 'none') return { kind: 'none' };
  return planned.table === 'gpt' ? gptFor(survey, planned) : mbrFor(survey, planned);
}

/** Kept volumes stay in their slots, the others take the first free ones. @throws CoreError `table.full` */
function slotsFor(
  volumes: readonly LaidVolume[],
  kept: (v: LaidVolume) => number | undefined,
  count: number,
  reserved: readonly number[] = [],
): Map<LaidVolume, number> {
  const slots = new Map<LaidVolume, number>();
  for (const volume of volumes) {
    const slot = kept(volume);
    if (slot !== undefined) slots.set(volume, slot);
  }
  const taken = new Set([...reserved, ...slots.values()]);
  let next = 0;
  for (const volume of volumes) {
    if (slots.has(volume)) continue;
    while (taken.has(next)) next += 1;
    if (next >= count) throw new CoreError('table.full', { entries: count });
    taken.add(next);
    slots.set(volume, next);
  }
  return slots;
}

/** The slots that kept volumes have. */
function keptSlots(survey: Survey): (volume: LaidVolume) => number | undefined {
  const slots = new Map(survey.volumes.map((v) => [v.number, v.slot]));
  return ({ origin }) => (origin.kind === 'kept' ? slots.get(origin.number) : undefined);
}

function gptFor(survey: Survey, planned: Layout): GptDisk {
  const old = survey.partitions.kind === 'gpt' ? survey.partitions : undefined;
  const entryCount = old?.entryCount ?? USUAL_ENTRIES;
  const slots = slotsFor(planned.volumes, old ? keptSlots(survey) : () => undefined, entryCount);
  const known = new Map(old?.entries.map((e) => [e.slot, e]));
  const entries = planned.volumes.map((volume): GptEntry => {
    const slot = slots.get(volume)!;
    const was = known.get(slot)?.guid === volume.guid ? known.get(slot) : undefined;
    return {
      slot,
      typeGuid: volume.typeGuid ?? typeGuidFor(volume.role, volume.fileSystem),
      guid: volume.guid ?? guidFor(survey, `volume ${volume.start} ${volume.length} ${volume.id}`),
      firstLba: volume.start / survey.sectorSize,
      lastLba: endOf(volume) / survey.sectorSize - 1,
      attributes: withFlags(was?.attributes ?? NO_ATTRIBUTES, volume.flags),
      name: volume.tableName ?? '',
    };
  });
  entries.sort((a, b) => a.slot - b.slot);
  const entrySize = old?.entrySize ?? USUAL_ENTRY_SIZE;
  return { kind: 'gpt', diskGuid: old?.diskGuid ?? guidFor(survey, 'disk'), entryCount, entrySize, entries };
}

/** A GUID that is the same for the same plan of the same disk. */
function guidFor(survey: Survey, what: string): string {
  const seed = JSON.stringify([survey.size, survey.partitions, what]);
  const word = (n: number): number => crc32(new TextEncoder().encode(`${n} ${seed}`));
  return guidOf([word(1), word(2), word(3), word(4)]);
}

function mbrFor(survey: Survey, planned: Layout): MbrDisk {
  const { sectorSize } = survey;
  const old = survey.partitions.kind === 'mbr' ? survey.partitions : undefined;
  const plain = planned.volumes.filter((v) => !v.logical);
  const logicals = chainFor(survey, planned, old);
  const container = logicals.length > 0 ? containerFor(planned, logicals, old, sectorSize) : undefined;
  const keptSlot = old ? keptSlots(survey) : () => undefined;
  // The container keeps its slot, or takes the last free one.
  const used = plain.map(keptSlot).filter((slot): slot is number => slot !== undefined);
  const containerSlot = old?.container?.slot ?? [3, 2, 1, 0].find((slot) => !used.includes(slot));
  if (container && containerSlot === undefined) throw new CoreError('table.full', { entries: MBR_ENTRIES });
  const room = container ? { ...container, slot: containerSlot! } : undefined;
  const slots = slotsFor(plain, keptSlot, MBR_ENTRIES, room ? [room.slot] : []);
  const primaries = plain.map((v): MbrEntry => ({ slot: slots.get(v)!, ...entryOf(v, sectorSize) }));
  primaries.sort((a, b) => a.slot - b.slot);
  const diskSignature = old?.diskSignature || crc32(new TextEncoder().encode(guidFor(survey, 'signature')));
  return { kind: 'mbr', diskSignature, primaries, logicals, ...(room ? { container: room } : {}) };
}

function entryOf(volume: LaidVolume, sectorSize: number): Omit<MbrEntry, 'slot'> {
  const usual = findKind(volume.fileSystem)?.mbrType(volume.length) ?? TYPE_CODE.linuxData;
  return {
    active: volume.active,
    type: volume.type || typeCodeFor(volume.role, usual),
    startLba: volume.start / sectorSize,
    lengthSectors: volume.length / sectorSize,
  };
}

/** A boot record goes into the gap before each logical volume: where it is now if that still is in the gap. */
function chainFor(survey: Survey, planned: Layout, old: MbrDisk | undefined): LogicalEntry[] {
  const { sectorSize } = survey;
  return planned.volumes.flatMap((volume, i): LogicalEntry[] => {
    if (!volume.logical) return [];
    const before = planned.volumes[i - 1];
    const first = (before ? endOf(before) : firstUsable(planned)) / sectorSize;
    const startLba = volume.start / sectorSize;
    const was = old?.logicals.find((l) => l.startLba === startLba)?.ebrLba;
    const usual = Math.max(first, startLba - ALIGNMENT / sectorSize);
    const ebrLba = was !== undefined && was >= first && was < startLba ? was : usual;
    return [{ ebrLba, ...entryOf(volume, sectorSize) }];
  });
}

/** From the first boot record to the last logical volume; an end that lies further out stays where nothing is there. */
function containerFor(
  planned: Layout,
  logicals: readonly LogicalEntry[],
  old: MbrDisk | undefined,
  sectorSize: number,
): Omit<Container, 'slot'> {
  const startLba = logicals[0]!.ebrLba;
  const last = logicals.at(-1)!;
  const least = last.startLba + last.lengthSectors;
  const wasEnd = old?.container ? old.container.startLba + old.container.lengthSectors : 0;
  const free = planned.volumes.every(
    (v) => v.logical || endOf(v) <= startLba * sectorSize || v.start >= wasEnd * sectorSize,
  );
  const end = free ? Math.max(least, wasEnd) : least;
  return { type: old?.container?.type ?? EXTENDED_LBA, startLba, lengthSectors: end - startLba };
}
