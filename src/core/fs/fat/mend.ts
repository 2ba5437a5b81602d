/**
 * Mending a FAT volume: the boot sector and its copy, the allocation tables from each other, and what follows from them.
 *
 * FATGEN 1.03, “FAT32 FSInfo Sector Structure and Backup Boot Sector”: the copy of the boot sector is in sector 6, and no
 * other place is advised. FAT12 and FAT16 have none.
 */
import { sameBytes } from '@/core/bytes';
import { PatchedDevice, type BlockDevice } from '@/core/device';
import { bestOf, changesOf, isSigned, NO_TRACES, SECTOR_SIZES, whereSound } from '../mending';
import type { Mend, Trace } from '../port';
import { AllocationTable } from './allocation-table';
import {
  BPB,
  EXTENDED_16,
  EXTENDED_32,
  FS_INFO,
  FS_INFO_SIGNATURES,
  FS_INFO_UNKNOWN,
  isInfoSigned,
  parseGeometry,
  tableOffset,
  type FatGeometry,
} from './boot-sector';
import { openFat } from './volume';
import { loadState } from './volume-state';

const COPY_SECTOR = 6;
/** What of a boot sector tells of the volume; code may stand behind it. */
const TELLING = 90;
const COPIES_DIFFER = new Set(['fat.backup-boot', 'fat.tables-differ', 'fat.fsinfo', 'fat.media']);

/** The geometry that a boot sector tells, or undefined where it makes no sense. */
const geometryIn = (sector: Uint8Array, size: number | undefined): FatGeometry | undefined =>
  whereSound(() => parseGeometry(sector, size));

/** Bytes that a volume has by its boot sector. */
export function claimedBy(sector: Uint8Array): number | undefined {
  const g = geometryIn(sector, undefined);
  return g && g.totalSectors * g.sectorSize;
}

/** The kind whose name stands in a boot sector: in the words that no system goes by, and every system writes. */
export function namedIn(sector: Uint8Array): string | undefined {
  const jumps = sector[0] === 0xeb || sector[0] === 0xe9;
  if (!jumps && !isSigned(sector, 0)) return undefined;
  if (EXTENDED_32.decode(sector).kind === 'FAT32   ') return 'fat32';
  const narrow = EXTENDED_16.decode(sector).kind;
  if (narrow === 'FAT16   ') return 'fat16';
  return narrow === 'FAT12   ' ? 'fat12' : undefined;
}

/** A boot sector, or its copy. */
export function fatTraces(sector: Uint8Array, at: number): readonly Trace[] {
  if (!isSigned(sector, 0)) return NO_TRACES;
  const length = claimedBy(sector);
  if (length === undefined) return NO_TRACES;
  const copyAt = BPB.decode(sector).bytesPerSector * COPY_SECTOR;
  const copied = isWide(sector) && EXTENDED_32.decode(sector).backupSector === COPY_SECTOR;
  return [{ start: at, length }, ...(copied ? [{ start: at - copyAt, length }] : [])];
}

const isWide = (sector: Uint8Array): boolean => BPB.decode(sector).fatSectors16 === 0;

export async function fatMends(device: BlockDevice): Promise<Mend[]> {
  const boot = await bootMends(device);
  if (!boot) return [];
  const tables = await tableMends(new PatchedDevice(device, boot));
  const mended = [...boot, ...tables];
  return [...mended, ...(await infoMends(new PatchedDevice(device, mended)))];
}

/** Undefined where there is no boot sector to go by. */
async function bootMends(device: BlockDevice): Promise<Mend[] | undefined> {
  const first = await device.bytes(0, Math.min(4096, device.size));
  const own = geometryIn(first, device.size);
  const copy = await copyOf(device, own);
  if (!copy) {
    if (!own || own.backupSector === 0) return own && [];
    return [copyFrom(first, own)];
  }
  const from = `its copy in sector ${COPY_SECTOR}`;
  const back: Mend = { offset: 0, bytes: copy.bytes, what: 'the boot sector', from };
  if (!own) return [back];
  if (sameBytes(first.subarray(0, TELLING), copy.bytes.subarray(0, TELLING))) return [];
  const best = await bestOf(device, [[], [back]], openFat, COPIES_DIFFER);
  if (!best) return undefined;
  if (best.way.length > 0) return [back];
  const unsure = best.sure ? {} : { unsure: 'Both can be read. Systems go by the first, so that it counts.' };
  return [{ ...copyFrom(first, own), ...unsure }];
}

const copyFrom = (first: Uint8Array, g: FatGeometry): Mend => ({
  offset: g.backupSector * g.sectorSize,
  bytes: first.slice(0, g.sectorSize),
  what: 'the copy of the boot sector',
  from: 'the boot sector',
});

/** The copy of the boot sector, where it makes sense. */
async function copyOf(device: BlockDevice, own: FatGeometry | undefined): Promise<{ bytes: Uint8Array } | undefined> {
  const places = own
    ? own.backupSector > 0
      ? [{ size: own.sectorSize, sector: own.backupSector }]
      : []
    : SECTOR_SIZES.map((size) => ({ size, sector: COPY_SECTOR }));
  for (const { size, sector } of places) {
    if ((sector + 1) * size > device.size) continue;
    const bytes = await device.bytes(sector * size, size);
    const g = geometryIn(bytes, device.size);
    if (g && g.sectorSize === size && g.kind === 'fat32' && g.backupSector === sector) return { bytes };
  }
  return undefined;
}

/** Tables that differ: the one that the folders agree with is right. */
async function tableMends(device: BlockDevice): Promise<Mend[]> {
  const first = await device.bytes(0, Math.min(4096, device.size));
  const g = parseGeometry(first, device.size);
  const length = g.fatSectors * g.sectorSize;
  const [live, ...others] = g.liveFats;
  if (live === undefined || others.length === 0) return [];
  const table = await device.bytes(tableOffset(g, live), length);
  const differing: { index: number; bytes: Uint8Array }[] = [];
  for (const index of others) {
    const bytes = await device.bytes(tableOffset(g, index), length);
    if (!sameEntries(g, table, bytes)) differing.push({ index, bytes });
  }
  if (differing.length === 0) return [];
  const over = (from: number, bytes: Uint8Array) =>
    [from, live, ...others]
      .filter((index, i) => index !== from && i > 0)
      .map((index): Mend => ({
        offset: tableOffset(g, index),
        bytes,
        what: `allocation table ${index + 1}`,
        from: `allocation table ${from + 1}`,
      }));
  const ways = [over(live, table), ...differing.map(({ index, bytes }) => over(index, bytes))];
  const best = await bestOf(device, ways, openFat, COPIES_DIFFER);
  if (!best) return [];
  const unsure = best.sure
    ? {}
    : { unsure: 'The files agree with either. Systems go by the first, so that it counts.' };
  const out: Mend[] = [];
  for (const { offset, bytes, ...words } of best.way)
    out.push(...(await changesOf(device, [{ offset, bytes }], { ...words, ...unsure })));
  return out;
}

/** Whether two tables say the same of every cluster there is. */
function sameEntries(g: FatGeometry, a: Uint8Array, b: Uint8Array): boolean {
  const bits = new AllocationTable(g.kind, a).length;
  const length = Math.min(a.length, Math.ceil(((g.clusterCount + 2) * a.length) / bits));
  return sameBytes(a.subarray(0, length), b.subarray(0, length));
}

/** The medium that tables begin with, and the sector with the free count: both follow from what is there. */
async function infoMends(device: BlockDevice): Promise<Mend[]> {
  const { geometry: g, table, counts } = await loadState(device);
  const out: Mend[] = [];
  if (table.bytes[0] !== g.media) {
    const bytes = Uint8Array.of(g.media);
    for (const index of g.liveFats)
      out.push({ offset: tableOffset(g, index), bytes, what: 'the medium in the table', from: 'the boot sector' });
  }
  if (g.fsInfoSector === 0) return out;
  const offset = g.fsInfoSector * g.sectorSize;
  const sector = await device.bytes(offset, 512);
  const info = FS_INFO.decode(sector);
  const signed = isInfoSigned(info);
  if (signed && (info.freeCount === counts.free || info.freeCount === FS_INFO_UNKNOWN)) return out;
  const bytes = signed ? sector.slice() : new Uint8Array(512);
  const inside = signed && info.nextFree >= 2 && info.nextFree < g.clusterCount + 2;
  const nextFree = inside ? info.nextFree : FS_INFO_UNKNOWN;
  FS_INFO.encode({ ...FS_INFO_SIGNATURES, freeCount: counts.free, nextFree }, bytes);
  return [...out, { offset, bytes, what: 'the sector with the free count', from: 'the allocation table' }];
}
