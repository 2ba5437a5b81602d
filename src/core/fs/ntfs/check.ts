/** The structure check of an NTFS volume, as far as reading goes: boot sectors, records, runs against the bitmap. */
import { sameBytes } from '@/core/bytes';
import type { BlockDevice } from '@/core/device';
import type { Finding } from '@/core/errors';
import { runsOf, setBits } from './bitmap';
import type { NtfsGeometry } from './boot-sector';
import type { Mft } from './mft';
import { stateFindings } from './system-state';

export interface CheckInput {
  readonly device: BlockDevice;
  readonly geometry: NtfsGeometry;
  readonly boot: Uint8Array;
  readonly mft: Mft;
  /** The cluster bitmap, a bit a cluster. */
  readonly bitmap: Uint8Array;
}

/** Every finding. @throws CoreError `device.read-failed` */
export async function checkNtfs(input: CheckInput): Promise<Finding[]> {
  return [
    ...(await backupFindings(input)),
    ...(await stateFindings(input.device, input.geometry, input.mft)),
    ...input.mft.findings,
    ...clusterFindings(input),
    ...nameFindings(input),
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
        const count = (bitmapOf: Uint8Array, on: boolean): number =>
          runsOf(bitmapOf, lcn, end, on).reduce((sum, r) => sum + r.length, 0);
        crossed += count(owned, true);
        unmarked += count(bitmap, false);
        setBits(owned, lcn, end, true);
      }
    }
  }
  let lost = 0;
  for (let i = 0; i < bitmap.length; i++) {
    const stray = bitmap[i]! & ~owned[i]!;
    if (stray !== 0)
      for (let c = i * 8; c < Math.min(i * 8 + 8, g.clusterCount); c++) if (stray & (1 << (c & 7))) lost += 1;
  }
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
    const orphan = file.names.find((n) => !mft.files.get(n.parent)?.folder);
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
