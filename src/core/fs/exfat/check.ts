/** The structure check of an exFAT volume: boot regions, what the walk found, and clusters against their bitmap. */
import { sameBytes } from '@/core/bytes';
import type { Finding } from '@/core/errors';
import { bootChecksum, FLAG, REGION_SECTORS } from './boot-region';
import { isTaken, ownedBits, type ExfatState } from './change';
import { BAD } from './tree';

/** @throws CoreError `device.read-failed` */
export async function checkExfat(state: ExfatState): Promise<Finding[]> {
  return [...(await regionFindings(state)), ...state.tree.findings, ...clusterFindings(state)];
}

async function regionFindings({ device, geometry: g }: ExfatState): Promise<Finding[]> {
  const out: Finding[] = [];
  const find = (severity: Finding['severity'], code: string, message: string): void =>
    void out.push({ severity, code, message });
  if (g.flags & FLAG.dirty)
    find('error', 'exfat.dirty', 'The volume was not put away properly. Let the system it belongs to check it.');
  if (g.flags & FLAG.mediaFailure) find('warning', 'exfat.media', 'A system has met a failing place on this medium.');
  if (g.fatCount > 1) find('info', 'exfat.two-tables', 'The volume has two allocation tables and keeps its size.');
  const bytes = REGION_SECTORS * g.sectorSize;
  const [main, backup] = [await device.bytes(0, bytes), await device.bytes(bytes, bytes)];
  const whole = (region: Uint8Array): boolean =>
    new DataView(region.buffer, region.byteOffset).getUint32(11 * g.sectorSize, true) ===
    bootChecksum(region, g.sectorSize);
  if (!whole(main)) find('error', 'exfat.boot', 'The checksum of the boot region does not agree.');
  if (!whole(backup)) find('warning', 'exfat.backup-boot', 'The backup of the boot region is damaged.');
  else if (whole(main) && !sameBytes(main.subarray(64, 104), backup.subarray(64, 104)))
    find('warning', 'exfat.backup-boot', 'The backup of the boot region differs from it.');
  return out;
}

function clusterFindings({ geometry: g, tree }: ExfatState): Finding[] {
  const out: Finding[] = [];
  const owned = ownedBits(tree, g.clusterCount);
  const total = tree.owners.reduce((sum, o) => sum + o.runs.reduce((s, r) => s + r.length, 0), 0);
  let distinct = 0;
  let unmarked = 0;
  let lost = 0;
  let bad = 0;
  for (let cluster = 2; cluster < g.clusterCount + 2; cluster++) {
    const has = (owned[(cluster - 2) >> 3]! & (1 << ((cluster - 2) & 7))) !== 0;
    const marked = (tree.bits[(cluster - 2) >> 3]! & (1 << ((cluster - 2) & 7))) !== 0;
    if (has) distinct += 1;
    if (has && !marked) unmarked += 1;
    if (tree.fat[cluster] === BAD) bad += 1;
    else if (!has && isTaken(tree, cluster)) lost += 1;
  }
  const find = (severity: Finding['severity'], code: string, message: string): void =>
    void out.push({ severity, code, message });
  if (total > distinct) find('error', 'exfat.cross-link', `${total - distinct} clusters belong to more than one file.`);
  if (unmarked > 0) find('error', 'exfat.unmarked', `${unmarked} clusters hold data and are marked free.`);
  if (lost > 0) find('warning', 'exfat.lost-clusters', `${lost} clusters are marked in use and belong to nobody.`);
  if (bad > 0) find('info', 'exfat.bad-clusters', `${bad} clusters are marked bad.`);
  return out;
}
