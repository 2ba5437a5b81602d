/** A new FAT volume (FATGEN 1.03 “FAT Volume Initialization”). The same options give the same bytes. */
import type { BlockDevice } from '@/core/device';
import { CoreError } from '@/core/errors';
import type { MakeOptions, Transaction } from '../port';
import { AllocationTable, END } from './allocation-table';
import {
  BOOT_SIGNATURE_AT,
  BPB,
  EXTENDED_16,
  EXTENDED_32,
  FS_INFO,
  FS_INFO_SIGNATURES,
  totalSectorFields,
  type FatKind,
} from './boot-sector';
import { ATTRIBUTE, buildSlots } from './directory';
import { FAT_KINDS, planGeometry, type NewGeometry } from './kinds';
import { normaliseLabel, packLabel } from './names';

const MEDIA = 0xf8;
const ROOT_CLUSTER = 2;
const BACKUP_SECTOR = 6;
const CLEAR_CHUNK = 8 * 1024 * 1024;

/**
 * Makes a volume as large as `device`. Structures go straight to the disk, since none of it is live; the boot sector
 * is gathered, so that there is no volume before there is a whole one.
 * @throws CoreError `fs.cluster-size` or `fs.label`
 */
export async function makeVolume(device: BlockDevice, options: MakeOptions, tx: Transaction): Promise<void> {
  const kind = options.kind as FatKind;
  const geometry = chooseGeometry(device, kind, options.clusterSize);
  const label = normaliseLabel(options.label);
  if (options.format === 'full') await clearAll(device.size, tx);
  await writeEmptyTables(geometry, tx);
  await writeRoot(geometry, label, tx);
  await writeBootArea(geometry, label, options, tx);
}

function chooseGeometry(device: BlockDevice, kind: FatKind, chosen: number | undefined): NewGeometry {
  const { size, sectorSize } = device;
  const facts = FAT_KINDS.find((k) => k.kind === kind);
  const clusterSize = chosen ?? facts?.defaultClusterSize(size, sectorSize);
  const geometry = clusterSize === undefined ? undefined : planGeometry(kind, size, sectorSize, clusterSize);
  if (geometry) return geometry;
  const valid = facts?.clusterSizes(size, sectorSize) ?? [];
  const reason =
    valid.length > 0
      ? `it can be ${valid.join(', ')}`
      : `the volume is too small or too large for ${facts?.title ?? kind}`;
  throw new CoreError('fs.cluster-size', {
    fileSystem: facts?.title ?? kind,
    clusterSize: clusterSize ?? 0,
    size,
    reason,
  });
}

async function clearAll(size: number, tx: Transaction): Promise<void> {
  for (let at = 0; at < size; at += CLEAR_CHUNK) await tx.clearFree(at, Math.min(CLEAR_CHUNK, size - at));
}

async function writeEmptyTables(g: NewGeometry, tx: Transaction): Promise<void> {
  const table = new AllocationTable(g.kind, new Uint8Array(g.sectorSize));
  table.set(0, 0x0fffff00 | MEDIA);
  table.set(1, END);
  if (g.kind === 'fat32') table.set(ROOT_CLUSTER, END);
  const start = g.reservedSectors * g.sectorSize;
  await tx.clearFree(0, g.dataStart * g.sectorSize);
  for (let i = 0; i < g.fatCount; i++) await tx.writeFree(start + i * g.fatSectors * g.sectorSize, table.bytes);
}

async function writeRoot(g: NewGeometry, label: string, tx: Transaction): Promise<void> {
  const offset = (g.kind === 'fat32' ? g.dataStart : g.dataStart - g.rootSectors) * g.sectorSize;
  const length = (g.kind === 'fat32' ? g.sectorsPerCluster : g.rootSectors) * g.sectorSize;
  await tx.clearFree(offset, length);
  if (label) await tx.writeFree(offset, buildSlots({ name: packLabel(label), attributes: ATTRIBUTE.label }, undefined));
}

async function writeBootArea(g: NewGeometry, label: string, options: MakeOptions, tx: Transaction): Promise<void> {
  const boot = bootSector(g, label, options);
  if (g.kind === 'fat32') {
    const info = infoSector(g);
    const third = new Uint8Array(g.sectorSize);
    third.set([0x55, 0xaa], BOOT_SIGNATURE_AT);
    for (const base of [BACKUP_SECTOR, 0]) {
      await tx.writeFree((base + 1) * g.sectorSize, info);
      await tx.writeFree((base + 2) * g.sectorSize, third);
    }
    await tx.writeFree(BACKUP_SECTOR * g.sectorSize, boot);
  }
  await tx.write(0, boot);
}

function bootSector(g: NewGeometry, label: string, options: MakeOptions): Uint8Array {
  const sector = new Uint8Array(g.sectorSize);
  const wide = g.kind === 'fat32';
  BPB.encode(
    {
      jump: Uint8Array.of(0xeb, wide ? 0x58 : 0x3c, 0x90),
      oemName: 'ULLAGER ',
      bytesPerSector: g.sectorSize,
      sectorsPerCluster: g.sectorsPerCluster,
      reservedSectors: g.reservedSectors,
      fatCount: g.fatCount,
      rootEntries: g.rootEntries,
      media: MEDIA,
      fatSectors16: wide ? 0 : g.fatSectors,
      sectorsPerTrack: 63,
      heads: 255,
      hiddenSectors: options.startLba,
      ...totalSectorFields(g.kind, g.totalSectors),
    },
    sector,
  );
  const shared = { driveNumber: 0x80, flags: 0, bootSignature: 0x29, serial: options.serial >>> 0 };
  if (wide) {
    EXTENDED_32.encode(
      {
        ...shared,
        fatSectors32: g.fatSectors,
        extFlags: 0,
        version: 0,
        rootCluster: ROOT_CLUSTER,
        fsInfoSector: 1,
        backupSector: BACKUP_SECTOR,
        kind: 'FAT32   ',
      },
      sector,
    );
  } else EXTENDED_16.encode({ ...shared, kind: g.kind === 'fat12' ? 'FAT12   ' : 'FAT16   ' }, sector);
  sector.set(packLabel(label || 'NO NAME'), wide ? 71 : 43);
  sector.set(haltCode(), wide ? 90 : 62);
  sector.set([0x55, 0xaa], BOOT_SIGNATURE_AT);
  return sector;
}

/** Boot code that asks the firmware to try the next disk (INT 18h) and then waits. */
const haltCode = (): Uint8Array => Uint8Array.of(0xcd, 0x18, 0xf4, 0xeb, 0xfd);

function infoSector(g: NewGeometry): Uint8Array {
  const sector = new Uint8Array(g.sectorSize);
  FS_INFO.encode(
    {
      ...FS_INFO_SIGNATURES,
      freeCount: g.clusterCount - 1,
      nextFree: ROOT_CLUSTER + 1,
    },
    sector,
  );
  return sector;
}
