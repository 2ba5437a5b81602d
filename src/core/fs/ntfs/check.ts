/** The structure check of an NTFS volume: boot sectors, records, runs against the bitmap, folders against records. */
import { sameBytes } from '@/core/bytes';
import type { BlockDevice } from '@/core/device';
import type { Finding } from '@/core/errors';
import { countIn, onlyIn, setBits } from '../bitmap';
import type { NtfsGeometry } from './boot-sector';
import { indexFindings } from './check-indexes';
import { recordFindings } from './check-records';
import type { Mft } from './mft';
import { stateFindings } from './system-state';

export interface CheckInput {
  readonly device: BlockDevice;
  readonly geometry: NtfsGeometry;
  readonly boot: Uint8Array;
  readonly mft: Mft;
  /** The cluster bitmap, a bit a cluster. */
  readonly bitmap: Uint8Array;
  /** The volume's case table: 65 536 UTF-16 units. */
  readonly upcase: Uint16Array;
}

/** Every finding. @throws CoreError `device.read-failed` */
export async function checkNtfs(input: CheckInput): Promise<Finding[]> {
  return [
    ...(await backupFindings(input)),
    ...(await stateFindings(input.device, input.geometry, input.mft)),
    ...input.mft.findings,
    ...clusterFindings(input),
    ...(await recordFindings(input)),
    ...nameFindings(input),
    ...(await indexFindings(input)),
  ];
}

async function backupFindings({ device, geometry: g, boot }: CheckInput): Promise<Finding[]> {
  const offset = g.totalSectors * g.sectorSize;
  if (offset + g.sectorSize > device.size) {
    return [
      { severity: 'warning', code: 'ntfs.no-backup', message: 'There is no room for the backup of the boot sector.' },
    ];
  }
  const backup = await device.bytes(offset, g.sectorSize);
  if (sameBytes(backup.subarray(0, 512), boot.subarray(0, 512))) return [];
  return [
    {
      severity: 'warning',
      code: 'ntfs.backup-boot',
      message: 'The backup of the boot sector differs from it.',
      offset,
    },
  ];
}

/** Every cluster in a run is marked in use and belongs to one stream only; every marked one belongs to some. */
function clusterFindings({ geometry: g, mft, bitmap }: CheckInput): Finding[] {
  const owned = new Uint8Array(bitmap.length);
  let crossed = 0;
  let unmarked = 0;
  for (const file of mft.files.values()) {
    for (const stream of file.streams) {
      for (const { lcn, length } of stream.runs) {
        if (lcn < 0) continue;
        const end = lcn + length;
        crossed += countIn(owned, lcn, end);
        unmarked += length - countIn(bitmap, lcn, end);
        setBits(owned, lcn, end, true);
      }
    }
  }
  const lost = onlyIn(bitmap, owned, g.clusterCount).reduce((sum, r) => sum + r.length, 0);
  const out: Finding[] = [];
  if (crossed > 0)
    out.push({
      severity: 'error',
      code: 'ntfs.cross-link',
      message: `${crossed} clusters belong to more than one stream.`,
    });
  if (unmarked > 0)
    out.push({
      severity: 'error',
      code: 'ntfs.unmarked',
      message: `${unmarked} clusters hold data and are marked free.`,
    });
  if (lost > 0)
    out.push({
      severity: 'warning',
      code: 'ntfs.lost-clusters',
      message: `${lost} clusters are marked in use and belong to no stream.`,
    });
  return out;
}

function nameFindings({ mft }: CheckInput): Finding[] {
  const out: Finding[] = [];
  for (const file of mft.files.values()) {
    if (file.number < 24) continue;
    const orphan = file.names.find((n) => !mft.files.isFolder(n.parent));
    if (orphan)
      out.push({
        severity: 'warning',
        code: 'ntfs.orphan',
        message: `${orphan.name} (record ${file.number}) stands in a folder that is not there.`,
      });
    if (out.length >= 100) break;
  }
  return out;
}
