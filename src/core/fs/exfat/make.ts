/**
 * A new exFAT volume. The same options give the same bytes.
 *
 * “exFAT file system specification”, sections 3 to 7. Table and clusters begin where flash is erased as a whole, on
 * volumes that are large enough for that to be nothing. The boot sector is gathered, so that there is no volume before
 * there is a whole one.
 */
import type { BlockDevice } from '@/core/device';
import { CoreError } from '@/core/errors';
import type { MakeOptions, Transaction } from '../port';
import { BOOT_SIGNATURE, NAME, newRegion, REGION_SECTORS } from './boot-region';
import { writeRegions } from './boot-edits';
import { storedCaseTable } from './case-table';
import { ENTRY_BYTES, LABEL, STREAM, tableChecksum, TYPE, UPCASE } from './entries';
import { clusterSizesFor, EXFAT_KIND } from './kinds';
import { END } from './owner';

const MIB = 1024 * 1024;
const CLEAR_CHUNK = 8 * MIB;
const MEDIA = 0xfffffff8;

/** Where the table and the clusters begin is a multiple of this many bytes. */
function boundaryFor(size: number, sectorSize: number): number {
  if (size >= 512 * MIB) return MIB;
  return size >= 16 * MIB ? 64 * 1024 : sectorSize;
}

const up = (n: number, unit: number): number => Math.ceil(n / unit) * unit;

/** Where everything goes on a new volume, in bytes; clusters are numbered from 2. */
interface NewLayout {
  readonly clusterSize: number;
  readonly fatOffset: number;
  readonly fatBytes: number;
  readonly heap: number;
  readonly clusterCount: number;
  readonly bitmapBytes: number;
  /** First cluster and how many, of the bitmap, the case table and the root folder. */
  readonly bitmap: readonly [number, number];
  readonly table: readonly [number, number];
  readonly root: readonly [number, number];
}

/** @throws CoreError `fs.cluster-size` */
function planLayout({ size, sectorSize }: BlockDevice, wanted: number | undefined, tableBytes: number): NewLayout {
  const valid = clusterSizesFor(size, sectorSize);
  const clusterSize = wanted ?? EXFAT_KIND.defaultClusterSize(size, sectorSize);
  const refuse = (reason: string): CoreError =>
    new CoreError('fs.cluster-size', { fileSystem: 'exFAT', clusterSize: clusterSize ?? 0, size, reason });
  if (clusterSize === undefined || !valid.includes(clusterSize))
    throw refuse(valid.length > 0 ? `it can be ${valid.join(', ')}` : 'the volume is too small or too large for exFAT');
  const boundary = boundaryFor(size, sectorSize);
  const fatOffset = up(2 * REGION_SECTORS * sectorSize, boundary);
  const most = Math.ceil((size - fatOffset) / clusterSize);
  const fatBytes = up((most + 2) * 4, sectorSize);
  const heap = up(fatOffset + fatBytes, boundary);
  const clusterCount = Math.floor((size - heap) / clusterSize);
  const bitmapBytes = Math.ceil(Math.max(0, clusterCount) / 8);
  const bitmapClusters = Math.max(1, Math.ceil(bitmapBytes / clusterSize));
  const tableClusters = Math.ceil(tableBytes / clusterSize);
  if (clusterCount < bitmapClusters + tableClusters + 1) throw refuse('its own structures would not fit');
  const bitmap = [2, bitmapClusters] as const;
  const table = [2 + bitmapClusters, tableClusters] as const;
  const root = [table[0] + tableClusters, 1] as const;
  return { clusterSize, fatOffset, fatBytes, heap, clusterCount, bitmapBytes, bitmap, table, root };
}

/** @throws CoreError `fs.cluster-size` or `fs.label` */
export async function makeExfat(device: BlockDevice, options: MakeOptions, tx: Transaction): Promise<void> {
  const { size, sectorSize } = device;
  const caseTable = storedCaseTable();
  const layout = planLayout(device, options.clusterSize, caseTable.length);
  const label = EXFAT_KIND.normaliseLabel(options.label);
  const { clusterSize, fatOffset, heap, bitmap, table, root } = layout;
  if (options.format === 'full')
    for (let at = 0; at < size; at += CLEAR_CHUNK) await tx.clearFree(at, Math.min(CLEAR_CHUNK, size - at));
  const offsetOf = (cluster: number): number => heap + (cluster - 2) * clusterSize;
  const used = bitmap[1] + table[1] + root[1];
  const fat = new Uint32Array(2 + used);
  fat.set([MEDIA, END]);
  for (const [start, length] of [bitmap, table, root]) {
    for (let c = start; c < start + length - 1; c++) fat[c] = c + 1;
    fat[start + length - 1] = END;
  }
  const bits = new Uint8Array(layout.bitmapBytes);
  for (let c = 0; c < used; c++) bits[c >> 3]! |= 1 << (c & 7);
  await tx.clearFree(0, Math.min(size, offsetOf(root[0] + 1)));
  await tx.writeFree(fatOffset, new Uint8Array(fat.buffer));
  await tx.writeFree(offsetOf(bitmap[0]), bits);
  await tx.writeFree(offsetOf(table[0]), caseTable);
  await tx.writeFree(offsetOf(root[0]), rootEntries(label, bitmap[0], layout.bitmapBytes, table[0], caseTable));
  await writeRegions(bootRegion(device, options, layout, used), sectorSize, tx);
}

function bootRegion({ size, sectorSize }: BlockDevice, options: MakeOptions, layout: NewLayout, used: number) {
  const { clusterSize, fatOffset, fatBytes, heap, clusterCount, root } = layout;
  const region = newRegion(
    {
      jump: Uint8Array.of(0xeb, 0x76, 0x90),
      name: NAME,
      partitionOffset: BigInt(options.startLba),
      volumeLength: BigInt(Math.floor(size / sectorSize)),
      fatOffset: fatOffset / sectorSize,
      fatLength: fatBytes / sectorSize,
      heapOffset: heap / sectorSize,
      clusterCount,
      rootCluster: root[0],
      serial: options.serial >>> 0,
      revision: 0x0100,
      flags: 0,
      sectorShift: Math.log2(sectorSize),
      clusterShift: Math.log2(clusterSize / sectorSize),
      fatCount: 1,
      driveSelect: 0x80,
      percentInUse: Math.floor((used * 100) / clusterCount),
      signature: BOOT_SIGNATURE,
    },
    sectorSize,
  );
  // Code that asks the firmware to try the next disk (INT 18h) and then waits.
  region.set([0xcd, 0x18, 0xf4, 0xeb, 0xfd], 120);
  return region;
}

function rootEntries(
  label: string,
  bitmapAt: number,
  bitmapBytes: number,
  tableAt: number,
  table: Uint8Array,
): Uint8Array {
  const out = new Uint8Array(3 * ENTRY_BYTES);
  out.set(labelEntry(label));
  STREAM.encode({ type: TYPE.bitmap, firstCluster: bitmapAt, length: BigInt(bitmapBytes) }, out, ENTRY_BYTES);
  const checksum = tableChecksum(table);
  UPCASE.encode(
    { type: TYPE.upcase, checksum, firstCluster: tableAt, length: BigInt(table.length) },
    out,
    2 * ENTRY_BYTES,
  );
  return out;
}

/** The entry of a label; of none it is there and not in use, so that a label has its place. */
export function labelEntry(label: string): Uint8Array {
  const out = new Uint8Array(ENTRY_BYTES);
  const units = new Uint8Array(22);
  for (let i = 0; i < label.length; i++) {
    units[2 * i] = label.charCodeAt(i) & 0xff;
    units[2 * i + 1] = label.charCodeAt(i) >> 8;
  }
  LABEL.encode({ type: label ? TYPE.label : TYPE.noLabel, count: label.length, units }, out);
  return out;
}
