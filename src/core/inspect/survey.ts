/** Looking at a disk: table, volumes, what they hold and how far they can go. Nothing is written. */
import { WindowDevice, type BlockDevice } from '@/core/device';
import { CoreError, isCoreError, type ErrorData, type Finding } from '@/core/errors';
import {
  abilitiesOf,
  kindFacts,
  NO_ABILITIES,
  probeFileSystem,
  recogniseForeign,
  type Abilities,
  type ByteRange,
  type Recognised,
  type SizeLimits,
  type Volume,
  type VolumeInfo,
} from '@/core/fs';
import { asVolumeId, gapsOf, type Layout, type LaidVolume, type Role, type TableKind } from '@/core/layout';
import {
  flagsIn,
  hasBootSignature,
  isGptHeader,
  isHiddenCode,
  looksLikeTable,
  parseMbr,
  readTable,
  roleOfType,
  type DiskTable,
  type MbrEntry,
  type VolumeFlag,
} from '@/core/table';

/** A volume as it is now. Plain data; offsets and lengths are bytes. */
export interface SurveyedVolume {
  /** 1 for the first on the disk. */
  readonly number: number;
  readonly start: number;
  readonly length: number;
  /** Its place in the table, for an entry of its own: not for a logical volume, and not where there is no table. */
  readonly slot: number | undefined;
  /** In the chain of an extended partition. */
  readonly logical: boolean;
  readonly active: boolean;
  /** The MBR type code, or 0. */
  readonly type: number;
  /** On a GUID table: its type, its own GUID, and its name there. */
  readonly typeGuid: string | undefined;
  readonly guid: string | undefined;
  readonly name: string | undefined;
  readonly flags: readonly VolumeFlag[];
  readonly role: Role;
  readonly info: VolumeInfo | undefined;
  readonly limits: SizeLimits | undefined;
  readonly abilities: Abilities;
  /** Ranges in use from the volume's start; the whole volume when its content is not known. */
  readonly allocation: readonly ByteRange[];
  readonly files: number;
  readonly findings: readonly Finding[];
  /** What it is, of one that is not open: damaged, or of a kind that no driver has. */
  readonly recognised: Recognised | undefined;
  /** Why it could not be opened, if it was recognised but could not. */
  readonly fault: ErrorData | undefined;
}

/** A disk as it is now. Plain data. */
export interface Survey {
  readonly size: number;
  readonly sectorSize: number;
  readonly table: TableKind;
  readonly diskSignature: number;
  /** The table as it is. */
  readonly partitions: DiskTable;
  readonly findings: readonly Finding[];
  readonly volumes: readonly SurveyedVolume[];
  readonly unallocated: readonly ByteRange[];
}

/** A volume that is open, with the window it lies in. */
export interface OpenVolume {
  readonly volume: Volume;
  readonly window: BlockDevice;
}

/** Told of every volume that is opened, so that it need not be opened again. */
type OnOpened = (number: number, open: OpenVolume) => void;

/** What only a system's own volume, or its rescue volume, has at the top. */
const SYSTEM_FOLDER = /^(windows\/system32(\/|$)|etc\/(fstab|os-release|inittab)$)/i;
const RECOVERY_FOLDER = /^recovery\/windowsre(\/|$)/i;

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
 * @throws CoreError `image.not-a-disk` when there is neither a table nor a known file system on a disk that is not blank
 */
export async function surveyDisk(
  device: BlockDevice,
  name = 'The disk',
  opened: OnOpened = () => undefined,
): Promise<Survey> {
  const sector = await device.bytes(0, device.sectorSize);
  const bare = await probeFileSystem(device);
  const shared = hasBootSignature(sector) && looksLikeTable(sector);
  if (bare && !(shared && (await tableHolds(device, sector)))) return surveyBare(device, opened);
  const { table, findings } = await readTable(device);
  if (table.kind !== 'none') return surveyTable(device, table, findings, opened);
  if (sector.every((b) => b === 0)) return blank(device);
  throw new CoreError('image.not-a-disk', { name, size: device.size });
}

/** Whether entries of a table that shares its sector with a file system lead to volumes of their own. */
async function tableHolds(device: BlockDevice, sector: Uint8Array): Promise<boolean> {
  const { entries, findings } = parseMbr(sector, device.size / device.sectorSize);
  return findings.length === 0 && (await opensAt(device, entries, device.sectorSize)) > 0;
}

function blank(device: BlockDevice): Survey {
  const { size, sectorSize } = device;
  const partitions = { kind: 'none' as const };
  const shared = { size, sectorSize, table: 'none' as const, partitions, diskSignature: 0, findings: [], volumes: [] };
  return { ...shared, unallocated: [{ start: 0, end: size }] };
}

const BARE_PLACE = {
  slot: undefined,
  logical: false,
  active: false,
  type: 0,
  typeGuid: undefined,
  guid: undefined,
  name: undefined,
  flags: [],
} as const;

async function surveyBare(device: BlockDevice, opened: OnOpened): Promise<Survey> {
  const volume = await surveyVolume(device, { ...BARE_PLACE, number: 1, start: 0, length: device.size }, opened);
  // A bare volume is as long as its file system says; what lies behind is unallocated.
  const length = volume.info?.size ?? device.size;
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
function placesIn(table: Exclude<DiskTable, { kind: 'none' }>, sectorSize: number): Omit<Place, 'number'>[] {
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
  const place = ({ startLba, lengthSectors, active, type }: Omit<MbrEntry, 'slot'>): Omit<Place, 'number'> => ({
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

type Place = Pick<
  SurveyedVolume,
  'number' | 'start' | 'length' | 'slot' | 'logical' | 'active' | 'type' | 'typeGuid' | 'guid' | 'name' | 'flags'
>;

async function surveyVolume(device: BlockDevice, place: Place, opened: OnOpened): Promise<SurveyedVolume> {
  const unopened: SurveyedVolume = {
    ...place,
    role: roleOf(place, undefined, undefined),
    info: undefined,
    limits: undefined,
    abilities: NO_ABILITIES,
    allocation: [{ start: 0, end: place.length }],
    files: 0,
    findings: [],
    recognised: undefined,
    fault: undefined,
  };
  if (place.start + place.length > device.size || place.length === 0) return unopened;
  const window = new WindowDevice(device, place.start, place.length);
  let recognised: Recognised | undefined;
  try {
    const probed = await probeFileSystem(window);
    if (!probed) return { ...unopened, recognised: await recogniseForeign(window) };
    recognised = { kind: probed.kind, title: kindFacts(probed.kind).title };
    return await surveyOpened(window, probed.driver, unopened, opened);
  } catch (error) {
    // What can't be read of a disk that fails is a fault of its volume alone.
    if (!isCoreError(error, 'fs.damaged') && !isCoreError(error, 'device.read-failed')) throw error;
    const finding: Finding = { severity: 'error', code: error.code, message: error.message };
    return { ...unopened, recognised, fault: error.toData(), findings: [finding] };
  }
}

async function surveyOpened(
  window: BlockDevice,
  driver: NonNullable<Awaited<ReturnType<typeof probeFileSystem>>>['driver'],
  base: SurveyedVolume,
  opened: OnOpened,
): Promise<SurveyedVolume> {
  const volume = await driver.open(window);
  opened(base.number, { volume, window });
  let files = 0;
  let content: Role | undefined;
  for await (const entry of volume.walk()) {
    if (entry.kind === 'file') files += 1;
    if (SYSTEM_FOLDER.test(entry.path)) content = 'system';
    else if (content === undefined && RECOVERY_FOLDER.test(entry.path)) content = 'recovery';
  }
  return {
    ...base,
    role: roleOf(base, volume.info, content),
    info: volume.info,
    limits: await volume.limits(),
    abilities: abilitiesOf(volume.info.kind),
    allocation: await volume.allocation(),
    files,
    findings: await volume.check(),
  };
}

/** From the type first, which is meant; then from what is on it. */
function roleOf(place: Place, info: VolumeInfo | undefined, content: Role | undefined): Role {
  const told = roleOfType({ code: place.type, ...(place.typeGuid ? { guid: place.typeGuid } : {}) });
  if (told) return told;
  if (info?.kind === 'swap') return 'swap';
  if (!info) return 'foreign';
  return content ?? (place.active ? 'system' : 'data');
}

/** What a volume is, whether it is open, damaged, or only recognised; `unknown` where nobody knows. */
export const fileSystemOf = ({ info, recognised }: Pick<SurveyedVolume, 'info' | 'recognised'>): string =>
  info?.kind ?? recognised?.kind ?? 'unknown';

/** The layout as it is now. */
export function layoutOf(survey: Survey): Layout {
  const volumes = survey.volumes.map((v): LaidVolume => ({
    id: asVolumeId(`kept-${v.number}`),
    origin: { kind: 'kept', number: v.number },
    start: v.start,
    length: v.length,
    fileSystem: v.info?.kind ?? 'unknown',
    label: v.info?.label ?? '',
    role: v.role,
    active: v.active,
    type: v.type,
    logical: v.logical,
    flags: v.flags,
    ...(v.typeGuid ? { typeGuid: v.typeGuid } : {}),
    ...(v.guid ? { guid: v.guid } : {}),
    ...(v.name ? { tableName: v.name } : {}),
    guarded: v.role === 'firmware' || v.role === 'recovery' || v.role === 'foreign' || v.role === 'swap',
    ...(v.info ? { clusterSize: v.info.clusterSize } : {}),
    ...(v.recognised ? { knownAs: `${v.recognised.title}${v.fault ? ', damaged' : ''}` } : {}),
  }));
  const { size: diskSize, sectorSize, table, partitions } = survey;
  const room = partitions.kind === 'gpt' ? { tableEntries: partitions.entryCount * partitions.entrySize } : {};
  return { diskSize, sectorSize, table, volumes, ...room };
}
