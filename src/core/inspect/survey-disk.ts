/** Looking at a disk: table, volumes, what they hold and how far they can go. Nothing is written. */
import { isZeros } from '@/core/bytes';
import { WindowDevice, type BlockDevice } from '@/core/device';
import { CoreError, hasErrors, isCoreError, type Finding } from '@/core/errors';
import { probeFileSystem } from '@/core/fs';
import { gapsOf } from '@/core/layout';
import {
  flagsIn,
  hasBootSignature,
  isGptHeader,
  isHiddenCode,
  looksLikeTable,
  parseMbr,
  readTable,
  type DiskTable,
  type MbrEntry,
} from '@/core/table';
import { knownInfo, layoutOf, type Survey } from './survey';
import { BARE_PLACE, surveyVolume, type OnOpened, type SurveyedVolume, type VolumePlace } from './survey-volume';

/** Sector size of a raw image: 4096 only where a table or a file system makes sense at that size and not at 512. */
export async function detectSectorSize(device: BlockDevice): Promise<number> {
  if (device.size < 8192) return 512;
  const head = await device.bytes(0, 8192);
  if (isGptHeader(head.subarray(512))) return 512;
  if (isGptHeader(head.subarray(4096))) return 4096;
  // With the first copy gone, the last one tells.
  for (const sectorSize of [512, 4096]) {
    if (device.size % sectorSize === 0 && isGptHeader(await device.bytes(device.size - sectorSize, 512)))
      return sectorSize;
  }
  const bytesPerSector = head[11]! | (head[12]! << 8);
  if (bytesPerSector === 4096 && (await probeFileSystem(device))) return 4096;
  if (!looksLikeTable(head)) return 512;
  const { entries } = parseMbr(head, Math.floor(device.size / 512));
  return (await opensAt(device, entries, 512)) >= (await opensAt(device, entries, 4096)) ? 512 : 4096;
}

async function opensAt(device: BlockDevice, entries: readonly MbrEntry[], sectorSize: number): Promise<number> {
  let count = 0;
  for (const entry of entries) {
    const start = entry.startLba * sectorSize;
    if (start + 4096 > device.size) continue;
    if (await probeFileSystem(new WindowDevice(device, start, device.size - start))) count += 1;
  }
  return count;
}

/**
 * Surveys a disk.
 * @param tableless takes a disk that begins like nothing that is known for one whose table is gone
 * @throws CoreError `image.not-a-disk` when there is neither a table nor a known file system on a disk that is not blank
 */
export async function surveyDisk(
  device: BlockDevice,
  name = 'The disk',
  opened: OnOpened = () => undefined,
  tableless = false,
): Promise<Survey> {
  const sector = await device.bytes(0, device.sectorSize);
  const bare = await probeFileSystem(device);
  const shared = hasBootSignature(sector) && looksLikeTable(sector);
  if (bare && !(shared && (await tableHolds(device, sector)))) return surveyBare(device, opened);
  const read = await readTable(device).catch((error: unknown) => {
    if (!tableless || !isCoreError(error, 'table.damaged')) throw error;
    return error;
  });
  // Of a table without a copy that is whole nothing is taken for true.
  if (isCoreError(read)) return tablelessSurvey(device, read.message);
  const { table, findings } = read;
  if (table.kind !== 'none') return surveyTable(device, table, findings, opened);
  const damaged = await surveyBare(device, opened);
  if (damaged.volumes[0]!.seen && !hasErrors(damaged.volumes[0]!.seen.volume.findings)) return damaged;
  if (isZeros(sector)) return blank(device);
  if (tableless) return tablelessSurvey(device, 'Its first sector is neither a table nor a file system.');
  throw new CoreError('image.not-a-disk', { name, size: device.size });
}

/** Whether entries of a table that shares its sector with a file system lead to volumes of their own. */
async function tableHolds(device: BlockDevice, sector: Uint8Array): Promise<boolean> {
  const { entries, findings } = parseMbr(sector, device.size / device.sectorSize);
  return findings.length === 0 && (await opensAt(device, entries, device.sectorSize)) > 0;
}

const tablelessSurvey = (device: BlockDevice, message: string): Survey => ({
  ...blank(device),
  findings: [{ severity: 'warning', code: 'table.none', message }],
});

function blank(device: BlockDevice): Survey {
  const { size, sectorSize } = device;
  const partitions = { kind: 'none' as const };
  const shared = { size, sectorSize, table: 'none' as const, partitions, diskSignature: 0, findings: [], volumes: [] };
  return { ...shared, unallocated: [{ start: 0, end: size }] };
}

async function surveyBare(device: BlockDevice, opened: OnOpened): Promise<Survey> {
  const volume = await surveyVolume(device, { ...BARE_PLACE, number: 1, start: 0, length: device.size }, opened);
  // A bare volume is as long as its file system says; what lies behind is unallocated.
  const length = knownInfo(volume)?.size ?? device.size;
  const tail = device.size - length;
  return {
    ...blank(device),
    volumes: [{ ...volume, length }],
    unallocated: tail > 0 ? [{ start: length, end: device.size }] : [],
  };
}

async function surveyTable(
  device: BlockDevice,
  table: Exclude<DiskTable, { kind: 'none' }>,
  findings: readonly Finding[],
  opened: OnOpened,
): Promise<Survey> {
  const { size, sectorSize } = device;
  const places = placesIn(table, sectorSize).sort((a, b) => a.start - b.start || a.length - b.length);
  const volumes: SurveyedVolume[] = [];
  for (const place of places)
    volumes.push(await surveyVolume(device, { ...place, number: volumes.length + 1 }, opened));
  const survey: Survey = {
    size,
    sectorSize,
    table: table.kind,
    partitions: table,
    diskSignature: table.kind === 'mbr' ? table.diskSignature : 0,
    findings,
    volumes,
    unallocated: [],
  };
  return { ...survey, unallocated: gapsOf(layoutOf(survey)) };
}

/** Where the entries of a table are, in bytes. */
function placesIn(table: Exclude<DiskTable, { kind: 'none' }>, sectorSize: number): Omit<VolumePlace, 'number'>[] {
  if (table.kind === 'gpt') {
    return table.entries.map(({ slot, typeGuid, guid, firstLba, lastLba, attributes, name }) => ({
      ...BARE_PLACE,
      start: firstLba * sectorSize,
      length: Math.max(0, lastLba + 1 - firstLba) * sectorSize,
      slot,
      typeGuid,
      guid,
      name,
      flags: flagsIn(attributes),
    }));
  }
  const place = ({ startLba, lengthSectors, active, type }: Omit<MbrEntry, 'slot'>): Omit<VolumePlace, 'number'> => ({
    ...BARE_PLACE,
    start: startLba * sectorSize,
    length: lengthSectors * sectorSize,
    active,
    type,
    flags: isHiddenCode(type) ? ['hidden'] : [],
  });
  return [
    ...table.primaries.map((entry) => ({ ...place(entry), slot: entry.slot })),
    ...table.logicals.map((entry) => ({ ...place(entry), logical: true })),
  ];
}
