/** Looking at a disk: table, volumes, what they hold and how far they can go. Nothing is written. */
import { WindowDevice, type BlockDevice } from '@/core/device';
import { CoreError, isCoreError, type ErrorData, type Finding } from '@/core/errors';
import { probeFileSystem, type Abilities, type ByteRange, type SizeLimits, type VolumeInfo } from '@/core/fs';
import { asVolumeId, gapsOf, type Layout, type LaidVolume, type Role, type TableKind } from '@/core/layout';
import {
  EXTENDED_TYPES,
  GPT_PROTECTIVE,
  hasBootSignature,
  isGptHeader,
  looksLikeTable,
  parseMbr,
  type MbrEntry,
} from '@/core/table';

/** A volume as it is now. Plain data; offsets and lengths are bytes. */
export interface SurveyedVolume {
  /** 1 for the first on the disk. */
  readonly number: number;
  readonly start: number;
  readonly length: number;
  /** Its table entry, if the disk has a table. */
  readonly slot: number | undefined;
  readonly active: boolean;
  readonly type: number;
  readonly role: Role;
  readonly info: VolumeInfo | undefined;
  readonly limits: SizeLimits | undefined;
  readonly abilities: Abilities;
  /** Ranges in use from the volume's start; the whole volume when its content is not known. */
  readonly allocation: readonly ByteRange[];
  readonly files: number;
  readonly findings: readonly Finding[];
  /** Why it could not be opened, if it was recognised but could not. */
  readonly fault: ErrorData | undefined;
}

/** A disk as it is now. Plain data. */
export interface Survey {
  readonly size: number;
  readonly sectorSize: number;
  readonly table: TableKind;
  readonly diskSignature: number;
  /** The entries as they are in the table, by slot. */
  readonly entries: readonly MbrEntry[];
  readonly findings: readonly Finding[];
  readonly volumes: readonly SurveyedVolume[];
  readonly unallocated: readonly ByteRange[];
}

const NO_ABILITIES: Abilities = { check: false, shrink: false, grow: false, make: false, relabel: false, write: false };
const EFI_SYSTEM_TYPE = 0xef;
const SWAP_TYPE = 0x82;
const HIDDEN_RECOVERY_TYPES = new Set([0x27, 0x12]);

/** Sector size of a raw image: 4096 only where a table or a file system makes sense at that size and not at 512. */
export async function detectSectorSize(device: BlockDevice): Promise<number> {
  if (device.size < 8192) return 512;
  const head = await device.bytes(0, 8192);
  if (isGptHeader(head.subarray(512))) return 512;
  if (isGptHeader(head.subarray(4096))) return 4096;
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
export async function surveyDisk(device: BlockDevice, name = 'The disk'): Promise<Survey> {
  const sector = await device.bytes(0, device.sectorSize);
  const bare = await probeFileSystem(device);
  const table = hasBootSignature(sector) && looksLikeTable(sector);
  if (bare && !(table && (await tableHolds(device, sector)))) return surveyBare(device);
  if (hasBootSignature(sector)) return surveyTable(device, sector);
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
  const shared = { size, sectorSize, table: 'none' as const, diskSignature: 0, entries: [], findings: [], volumes: [] };
  return { ...shared, unallocated: [{ start: 0, end: size }] };
}

async function surveyBare(device: BlockDevice): Promise<Survey> {
  const volume = await surveyVolume(device, {
    number: 1,
    start: 0,
    length: device.size,
    slot: undefined,
    active: false,
    type: 0,
  });
  // A bare volume is as long as its file system says; what lies behind is unallocated.
  const length = volume.info?.size ?? device.size;
  const tail = device.size - length;
  return {
    ...blank(device),
    volumes: [{ ...volume, length }],
    unallocated: tail > 0 ? [{ start: length, end: device.size }] : [],
  };
}

async function surveyTable(device: BlockDevice, sector: Uint8Array): Promise<Survey> {
  const { size, sectorSize } = device;
  const table = parseMbr(sector, Math.floor(size / sectorSize));
  const sorted = [...table.entries].sort((a, b) => a.startLba - b.startLba || a.slot - b.slot);
  const volumes: SurveyedVolume[] = [];
  for (const { startLba, lengthSectors, slot, active, type } of sorted) {
    const place = {
      number: volumes.length + 1,
      start: startLba * sectorSize,
      length: lengthSectors * sectorSize,
      slot,
      active,
      type,
    };
    volumes.push(await surveyVolume(device, place));
  }
  const survey: Survey = {
    size,
    sectorSize,
    table: table.entries.some((e) => e.type === GPT_PROTECTIVE) ? 'gpt' : 'mbr',
    diskSignature: table.diskSignature,
    entries: table.entries,
    findings: table.findings,
    volumes,
    unallocated: [],
  };
  return { ...survey, unallocated: gapsOf(layoutOf(survey)) };
}

type Place = Pick<SurveyedVolume, 'number' | 'start' | 'length' | 'slot' | 'active' | 'type'>;

async function surveyVolume(device: BlockDevice, place: Place): Promise<SurveyedVolume> {
  const unopened: SurveyedVolume = {
    ...place,
    role: roleOf(place, undefined),
    info: undefined,
    limits: undefined,
    abilities: NO_ABILITIES,
    allocation: [{ start: 0, end: place.length }],
    files: 0,
    findings: [],
    fault: undefined,
  };
  if (place.start + place.length > device.size || place.length === 0 || EXTENDED_TYPES.has(place.type)) return unopened;
  const window = new WindowDevice(device, place.start, place.length);
  try {
    const probed = await probeFileSystem(window);
    return probed ? await surveyOpened(window, probed.driver, unopened) : unopened;
  } catch (error) {
    if (!isCoreError(error, 'fs.damaged')) throw error;
    const finding: Finding = { severity: 'error', code: 'fs.damaged', message: error.message };
    return { ...unopened, fault: error.toData(), findings: [finding] };
  }
}

async function surveyOpened(
  window: BlockDevice,
  driver: NonNullable<Awaited<ReturnType<typeof probeFileSystem>>>['driver'],
  base: SurveyedVolume,
): Promise<SurveyedVolume> {
  const volume = await driver.open(window);
  let files = 0;
  for await (const entry of volume.walk()) if (entry.kind === 'file') files += 1;
  return {
    ...base,
    role: roleOf(base, volume.info),
    info: volume.info,
    limits: await volume.limits(),
    abilities: driver.abilities,
    allocation: await volume.allocation(),
    files,
    findings: await volume.check(),
  };
}

function roleOf(place: Place, info: VolumeInfo | undefined): Role {
  if (place.type === EFI_SYSTEM_TYPE) return 'firmware';
  if (place.type === SWAP_TYPE) return 'swap';
  if (HIDDEN_RECOVERY_TYPES.has(place.type)) return 'recovery';
  if (!info) return 'foreign';
  return place.active ? 'system' : 'data';
}

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
    guarded: v.role === 'firmware' || v.role === 'recovery' || v.role === 'foreign' || v.role === 'swap',
    ...(v.info ? { clusterSize: v.info.clusterSize } : {}),
  }));
  return { diskSize: survey.size, sectorSize: survey.sectorSize, table: survey.table, volumes };
}
