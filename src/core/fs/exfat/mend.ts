/**
 * Mending an exFAT volume: its two boot regions from each other, and the bitmap from the clusters that files have.
 *
 * “exFAT file system specification”, sections 3.1 and 3.2: each region is sealed by a checksum, so that the right one of
 * two is known. Where both are broken, nothing is.
 */
import { sameBytes } from '@/core/bytes';
import { PatchedDevice, type BlockDevice } from '@/core/device';
import { countSet } from '../bitmap';
import { changesOf, NO_TRACES, SECTOR_SIZES, whereOpen, whereSound } from '../mending';
import type { Mend, Trace } from '../port';
import {
  BOOT,
  bootChecksum,
  clusterOffset,
  looksLikeExfat,
  parseGeometry,
  REGION_SECTORS,
  type ExfatGeometry,
} from './boot-region';
import { ownedBits } from './cluster-bits';
import { checkExfat } from './check';
import { type ExfatTree } from './owner';
import { readTree } from './tree';

const FLAGS_AT = 106;
const PERCENT_AT = 112;
const PERCENT_UNKNOWN = 0xff;
/** Findings that a bitmap made anew does away with, or has nothing to do with. */
const BESIDE = new Set(['exfat.unmarked', 'exfat.lost-clusters', 'exfat.dirty', 'exfat.media', 'exfat.backup-boot']);

const geometryIn = (sector: Uint8Array, size: number): ExfatGeometry | undefined =>
  whereSound(() => parseGeometry(sector, size));

export function claimedBy(sector: Uint8Array): number | undefined {
  const g = geometryIn(sector, Number.MAX_SAFE_INTEGER);
  return g && g.volumeSectors * g.sectorSize;
}

export function exfatTraces(sector: Uint8Array, at: number): readonly Trace[] {
  if (!looksLikeExfat(sector)) return NO_TRACES;
  const g = geometryIn(sector, Number.MAX_SAFE_INTEGER);
  if (!g) return NO_TRACES;
  const length = g.volumeSectors * g.sectorSize;
  return [
    { start: at, length },
    { start: at - REGION_SECTORS * g.sectorSize, length },
  ];
}

export async function exfatMends(device: BlockDevice): Promise<Mend[]> {
  const boot = await regionMends(device);
  if (!boot) return [];
  return [...boot, ...(await bitmapMends(new PatchedDevice(device, boot)))];
}

/** A region that is whole, with what it says. */
async function wholeRegion(device: BlockDevice, at: number, sectorSize: number): Promise<Uint8Array | undefined> {
  const length = REGION_SECTORS * sectorSize;
  if (at + length > device.size) return undefined;
  const region = await device.bytes(at, length);
  const g = geometryIn(region.subarray(0, 512), device.size);
  if (!g || g.sectorSize !== sectorSize) return undefined;
  const sums = new DataView(region.buffer, region.byteOffset + length - sectorSize, sectorSize);
  const sum = bootChecksum(region, sectorSize);
  for (let i = 0; i < sectorSize; i += 4) if (sums.getUint32(i, true) !== sum) return undefined;
  return region;
}

/** Undefined where neither region is whole. */
async function regionMends(device: BlockDevice): Promise<Mend[] | undefined> {
  for (const sectorSize of SECTOR_SIZES) {
    const length = REGION_SECTORS * sectorSize;
    const [main, copy] = [await wholeRegion(device, 0, sectorSize), await wholeRegion(device, length, sectorSize)];
    if (main && copy && sameBytes(checked(main), checked(copy))) return [];
    if (main) {
      const words = { what: 'the copy of the boot region', from: 'the boot region' };
      return [{ offset: length, bytes: main, ...words }];
    }
    if (!copy) continue;
    const bytes = copy.slice();
    const there = await device.bytes(0, 512);
    // Flags and use are kept up to date in the first region alone, and are no part of its checksum.
    const kept = looksLikeExfat(there) ? there : undefined;
    for (const at of [FLAGS_AT, FLAGS_AT + 1, PERCENT_AT]) bytes[at] = kept?.[at] ?? 0;
    const back: Mend = { offset: 0, bytes, what: 'the boot region', from: 'its copy' };
    if (!kept) bytes[PERCENT_AT] = await percentIn(new PatchedDevice(device, [back]));
    return [back];
  }
  return undefined;
}

/** The share of clusters in use, in whole percents; what is not known has a mark of its own (section 3.1.18). */
async function percentIn(device: BlockDevice): Promise<number> {
  const opened = await openTree(device);
  if (!opened) return PERCENT_UNKNOWN;
  const { g, tree } = opened;
  return Math.floor((100 * countSet(tree.bits, g.clusterCount)) / g.clusterCount);
}

/** All that the checksum is made over. */
function checked(region: Uint8Array): Uint8Array {
  const out = region.slice();
  for (const at of [FLAGS_AT, FLAGS_AT + 1, PERCENT_AT]) out[at] = 0;
  return out;
}

/** A bitmap that says something else than the files, where nothing else is wrong; and the share in use. */
async function bitmapMends(device: BlockDevice): Promise<Mend[]> {
  const opened = await openTree(device);
  if (!opened) return [];
  const { g, tree } = opened;
  const findings = await checkExfat({ device, geometry: g, tree });
  if (findings.some((f) => f.severity !== 'info' && !BESIDE.has(f.code))) return [];
  const bits = ownedBits(tree, g.clusterCount).map((byte, i) => byte | tree.bad[i]!);
  const out: Mend[] = [];
  let at = 0;
  for (const { start, length } of tree.bitmap.runs) {
    const bytes = bits.subarray(at, at + length * g.clusterSize);
    const words = { what: 'the bitmap of clusters', from: 'the clusters that files have' };
    if (bytes.length > 0) out.push(...(await changesOf(device, [{ offset: clusterOffset(g, start), bytes }], words)));
    at += length * g.clusterSize;
  }
  return out;
}

async function openTree(device: BlockDevice): Promise<{ g: ExfatGeometry; tree: ExfatTree } | undefined> {
  const g = geometryIn(await device.bytes(0, BOOT.size), device.size);
  if (!g || g.fatCount !== 1) return undefined;
  const tree = await whereOpen(() => readTree(device, g));
  return tree && { g, tree };
}
