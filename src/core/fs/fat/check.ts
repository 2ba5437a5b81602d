/** The structure check of a FAT volume: boot sectors, FSInfo, the tables against each other, and every chain. */
import { sameBytes } from '@/core/bytes';
import type { Finding } from '@/core/errors';
import { FIRST_FAT32_COUNT, FS_INFO, FS_INFO_UNKNOWN, isInfoSigned, tableOffset } from './boot-sector';
import type { FatTree } from './tree';
import type { FatState } from './volume-state';

/** Every finding, structures first. @throws CoreError `device.read-failed` */
export async function checkVolume(state: FatState, tree: FatTree): Promise<Finding[]> {
  return [
    ...stateFindings(state),
    ...(await tableFindings(state)),
    ...(await backupFindings(state)),
    ...(await infoFindings(state)),
    ...tree.findings,
  ];
}

function stateFindings({ table, geometry }: FatState): Finding[] {
  const findings: Finding[] = [];
  const { clean, noErrors } = table.state;
  if (!clean) {
    findings.push({
      severity: 'warning',
      code: 'fat.dirty',
      message: 'The volume was not put away properly the last time.',
    });
  }
  if (!noErrors) {
    findings.push({
      severity: 'warning',
      code: 'fat.disk-errors',
      message: 'A system met disk errors on this volume.',
    });
  }
  if (geometry.kind === 'fat32' && geometry.clusterCount < FIRST_FAT32_COUNT) {
    const message = `The volume is laid out as FAT32 with ${geometry.clusterCount} clusters, fewer than FAT32 may have. Some systems take it for FAT16.`;
    findings.push({ severity: 'warning', code: 'fat.few-clusters', message });
  }
  if ((table.bytes[0] ?? 0) !== geometry.media) {
    findings.push({
      severity: 'warning',
      code: 'fat.media',
      message: 'The table and the boot sector name different media.',
    });
  }
  return findings;
}

/** The other live tables must say the same. Only entries of real clusters count. */
async function tableFindings({ device, geometry: g, table }: FatState): Promise<Finding[]> {
  const findings: Finding[] = [];
  const entries = Math.ceil(((g.clusterCount + 2) * table.bytes.length) / table.length);
  const length = Math.min(entries, table.bytes.length);
  for (const index of g.liveFats.slice(1)) {
    const offset = tableOffset(g, index);
    const other = await device.bytes(offset, length);
    if (sameBytes(other, table.bytes.subarray(0, length))) continue;
    const message = `Allocation table ${index + 1} differs from the first.`;
    findings.push({ severity: 'error', code: 'fat.tables-differ', message, offset });
  }
  return findings;
}

async function backupFindings({ device, geometry: g, boot }: FatState): Promise<Finding[]> {
  if (g.backupSector === 0) return [];
  const offset = g.backupSector * g.sectorSize;
  const backup = await device.bytes(offset, g.sectorSize);
  if (sameBytes(backup.subarray(0, 90), boot.subarray(0, 90))) return [];
  return [
    { severity: 'warning', code: 'fat.backup-boot', message: 'The backup of the boot sector differs from it.', offset },
  ];
}

async function infoFindings({ device, geometry: g, counts: { free } }: FatState): Promise<Finding[]> {
  if (g.fsInfoSector === 0) return [];
  const offset = g.fsInfoSector * g.sectorSize;
  const info = FS_INFO.decode(await device.bytes(offset, 512));
  if (!isInfoSigned(info)) {
    return [
      { severity: 'warning', code: 'fat.fsinfo', message: 'The sector with the free count is not signed.', offset },
    ];
  }
  if (info.freeCount === FS_INFO_UNKNOWN || info.freeCount === free) return [];
  const message = `The stored free count is ${info.freeCount} clusters, it should be ${free}.`;
  return [{ severity: 'info', code: 'fat.free-count', message, offset }];
}
