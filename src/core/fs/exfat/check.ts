/** The structure check of an exFAT volume: boot regions, what the walk found, and clusters against their bitmap. */
import { sameBytes } from '@/core/bytes';
import type { Finding } from '@/core/errors';
import { countIn, countSet, onlyIn } from '../bitmap';
import { bootChecksum, FLAG, REGION_SECTORS } from './boot-region';
import type { ExfatState } from './boot-edits';
import { ownedBits } from './cluster-bits';
import { clustersOf } from './owner';

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
  const total = tree.owners.reduce((sum, o) => sum + clustersOf(o.runs), 0);
  const distinct = countSet(owned, g.clusterCount);
  const unmarked = clustersOf(onlyIn(owned, tree.bits, g.clusterCount));
  const bad = countSet(tree.bad, g.clusterCount);
  const strays = onlyIn(tree.taken, owned, g.clusterCount);
  const lost = strays.reduce((sum, r) => sum + r.length - countIn(tree.bad, r.start, r.start + r.length), 0);
  const find = (severity: Finding['severity'], code: string, message: string): void =>
    void out.push({ severity, code, message });
  if (total > distinct) find('error', 'exfat.cross-link', `${total - distinct} clusters belong to more than one file.`);
  if (unmarked > 0) find('error', 'exfat.unmarked', `${unmarked} clusters hold data and are marked free.`);
  if (lost > 0) find('warning', 'exfat.lost-clusters', `${lost} clusters are marked in use and belong to nobody.`);
  if (bad > 0) find('info', 'exfat.bad-clusters', `${bad} clusters are marked bad.`);
  return out;
}
