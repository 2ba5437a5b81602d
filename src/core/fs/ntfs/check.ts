/** The structure check of an NTFS volume: boot sectors, records, runs against the bitmap, folders against records. */
import { sameBytes } from '@/core/bytes';
import type { BlockDevice } from '@/core/device';
import type { Finding } from '@/core/errors';
import { countIn, onlyIn, setBits } from '../bitmap';
import type { NtfsGeometry } from './boot-sector';
import { IndexPass } from './check-indexes';
import { recordPasses } from './check-records';
import type { NtfsFile } from './file';
import type { Mft } from './mft';
import { stateFindings } from './system-state';

const MAX_ORPHANS = 100;

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

/** One thing that is looked for in all files. They are gone over once for all of these: what is made of one is not kept. */
export interface FilePass {
  take(file: NtfsFile): void;
  /** What was found, once all have been taken. */
  findings(): Finding[] | Promise<Finding[]>;
}

/** Every finding. @throws CoreError `device.read-failed` */
export async function checkNtfs(input: CheckInput): Promise<Finding[]> {
  const passes = [clusterPass(input), ...(await recordPasses(input)), namePass(input), new IndexPass(input)];
  for (const file of input.mft.files.values()) for (const pass of passes) pass.take(file);
  const out = [
    ...(await backupFindings(input)),
    ...(await stateFindings(input.device, input.geometry, input.mft)),
    ...input.mft.findings,
  ];
  for (const pass of passes) out.push(...(await pass.findings()));
  return out;
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
function clusterPass({ geometry: g, bitmap }: CheckInput): FilePass {
  const owned = new Uint8Array(bitmap.length);
  let crossed = 0;
  let unmarked = 0;
  const take = ({ streams }: NtfsFile): void => {
    for (const stream of streams) {
      if (stream.resident) continue;
      for (const { lcn, length } of stream.runs) {
        if (lcn < 0) continue;
        const end = lcn + length;
        crossed += countIn(owned, lcn, end);
        unmarked += length - countIn(bitmap, lcn, end);
        setBits(owned, lcn, end, true);
      }
    }
  };
  return { take, findings: () => ownershipFindings(g, bitmap, owned, crossed, unmarked) };
}

function ownershipFindings(
  g: NtfsGeometry,
  bitmap: Uint8Array,
  owned: Uint8Array,
  crossed: number,
  unmarked: number,
): Finding[] {
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

function namePass({ mft }: CheckInput): FilePass {
  const out: Finding[] = [];
  const take = (file: NtfsFile): void => {
    if (file.number < 24 || out.length >= MAX_ORPHANS || file.nameCount === 0) return;
    if (file.nameCount === 1 && mft.files.isFolder(file.parent)) return;
    const orphan = file.names.find((n) => !mft.files.isFolder(n.parent));
    if (orphan)
      out.push({
        severity: 'warning',
        code: 'ntfs.orphan',
        message: `${orphan.name} (record ${file.number}) stands in a folder that is not there.`,
      });
  };
  return { take, findings: () => out };
}
