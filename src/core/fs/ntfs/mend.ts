/**
 * Mending an NTFS volume: the boot sector and its copy, the first records of the master file table and their mirror, and
 * the bitmap from the clusters that streams have.
 *
 * Linux-NTFS “NTFS Documentation”, chapters “$Boot”, “$MFTMirr” and “$Bitmap”.
 */
import { sameBytes } from '@/core/bytes';
import { PatchedDevice, type BlockDevice } from '@/core/device';
import { setBits } from '../bitmap';
import { bestOf, changesOf, NO_TRACES, SECTOR_SIZES, whereOpen, whereSound } from '../mending';
import type { Mend, Trace } from '../port';
import { partsOf } from './across';
import { BOOT, looksLikeNtfs, parseGeometry, type NtfsGeometry } from './boot-sector';
import { parseAttributes } from './attribute-cursor';
import { RECORD, TYPE, undoFixup } from './record';
import { decodeRuns } from './runlist';
import { openWhole } from './volume';

const MIRRORED_RECORDS = 4;
const BITMAP = 6;
const FILE_MAGIC = 'FILE';
/** The copy of the boot sector is looked for this far before the end, where it is not at the end itself. */
const TAIL = 1024 * 1024;
/** That a mirror is not where the boot sector says tells one from the other. */
const BOOT_DIFFERS = new Set(['ntfs.backup-boot']);
const COPIES_DIFFER = new Set(['ntfs.backup-boot', 'ntfs.mirror']);
/** Findings that a bitmap made anew does away with, or has nothing to do with. */
const BESIDE = new Set([
  ...COPIES_DIFFER,
  'ntfs.unmarked',
  'ntfs.lost-clusters',
  'ntfs.no-backup',
  'ntfs.dirty',
  'ntfs.journal',
  'ntfs.no-journal',
  'ntfs.mft-unused',
]);

const geometryIn = (sector: Uint8Array, size: number): NtfsGeometry | undefined =>
  whereSound(() => parseGeometry(sector, size));

/** With the sector behind it that has the copy. */
const wholeLength = (g: NtfsGeometry): number => (g.totalSectors + 1) * g.sectorSize;

export function claimedBy(sector: Uint8Array): number | undefined {
  const g = geometryIn(sector, Number.MAX_SAFE_INTEGER);
  return g && wholeLength(g);
}

export function ntfsTraces(sector: Uint8Array, at: number): readonly Trace[] {
  if (!looksLikeNtfs(sector)) return NO_TRACES;
  const g = geometryIn(sector, Number.MAX_SAFE_INTEGER);
  if (!g) return NO_TRACES;
  const length = wholeLength(g);
  return [
    { start: at, length },
    { start: at - g.totalSectors * g.sectorSize, length },
  ];
}

export async function ntfsMends(device: BlockDevice): Promise<Mend[]> {
  const boot = await bootMends(device);
  if (!boot) return [];
  const records = await recordMends(new PatchedDevice(device, boot));
  const mended = [...boot, ...records];
  return [...mended, ...(await bitmapMends(new PatchedDevice(device, mended)))];
}

/** Undefined where there is no boot sector to go by. */
async function bootMends(device: BlockDevice): Promise<Mend[] | undefined> {
  const first = await device.bytes(0, Math.min(4096, device.size));
  const own = geometryIn(first, device.size);
  const copy = (own && (await copyAt(device, own.totalSectors * own.sectorSize))) ?? (await copyInTail(device));
  if (!copy) return own && ((await isEnd(device, own)) ? [copyFrom(first, own)] : []);
  const back: Mend = { offset: 0, bytes: copy.bytes, what: 'the boot sector', from: 'its copy at the end' };
  if (!own) return [back];
  if (sameBytes(first.subarray(0, BOOT.size), copy.bytes.subarray(0, BOOT.size))) return [];
  const best = await bestOf(device, [[], [back]], openWhole, BOOT_DIFFERS);
  if (!best) return [];
  if (best.way.length > 0) return [back];
  const unsure = best.sure ? {} : { unsure: 'Both can be read. Systems go by the first, so that it counts.' };
  return [{ ...copyFrom(first, own), ...unsure }];
}

/** Whether the volume ends where its boot sector says: its copy is written nowhere else. */
async function isEnd(device: BlockDevice, g: NtfsGeometry): Promise<boolean> {
  if (wholeLength(g) > device.size) return false;
  const volume = await whereOpen(() => openWhole(device));
  return volume !== undefined && !(await volume.check()).some((f) => f.severity === 'error' && !BESIDE.has(f.code));
}

const copyFrom = (first: Uint8Array, g: NtfsGeometry): Mend => ({
  offset: g.totalSectors * g.sectorSize,
  bytes: first.slice(0, g.sectorSize),
  what: 'the copy of the boot sector',
  from: 'the boot sector',
});

/** A copy of a boot sector that says that it stands at the end of its volume. */
async function copyAt(device: BlockDevice, offset: number): Promise<{ bytes: Uint8Array } | undefined> {
  if (offset < 0 || offset + BOOT.size > device.size) return undefined;
  const head = await device.bytes(offset, BOOT.size);
  const g = looksLikeNtfs(head) ? geometryIn(head, device.size) : undefined;
  if (!g || g.totalSectors * g.sectorSize !== offset || offset + g.sectorSize > device.size) return undefined;
  return { bytes: await device.bytes(offset, g.sectorSize) };
}

/** The copy, in the last sector or, where the volume is shorter than its room, before that. */
async function copyInTail(device: BlockDevice): Promise<{ bytes: Uint8Array } | undefined> {
  for (const size of SECTOR_SIZES) {
    const found = await copyAt(device, Math.floor(device.size / size) * size - size);
    if (found) return found;
  }
  const from = Math.max(0, Math.floor((device.size - TAIL) / 512) * 512);
  const tail = await device.bytes(from, device.size - from);
  for (let at = Math.floor((tail.length - BOOT.size) / 512) * 512; at > 0; at -= 512) {
    if (!looksLikeNtfs(tail.subarray(at, at + BOOT.size))) continue;
    const found = await copyAt(device, from + at);
    if (found) return found;
  }
  return undefined;
}

/** The runs of the unnamed stream that a record tells, and whether the record is whole. */
function streamOf(record: Uint8Array, g: NtfsGeometry): { lcn: number; length: number }[] | undefined {
  const bytes = record.slice();
  if (String.fromCharCode(...bytes.subarray(0, 4)) !== FILE_MAGIC || undoFixup(bytes) !== 'ok') return undefined;
  const attributes = parseAttributes(bytes);
  if (!attributes || (RECORD.decode(bytes).flags & 1) === 0) return undefined;
  const data = attributes.find((a) => a.type === TYPE.data && a.name === '');
  return data?.pairs ? decodeRuns(data.pairs, g.clusterCount, g.clusterCount) : [];
}

/** The first records and their mirror. A record that can't be read is mended from the one that can. */
async function recordMends(device: BlockDevice): Promise<Mend[]> {
  const g = geometryIn(await device.bytes(0, Math.min(4096, device.size)), device.size);
  if (!g || g.mirrorLcn === 0) return [];
  const length = MIRRORED_RECORDS * g.recordSize;
  const [tableAt, mirrorAt] = [g.mftLcn * g.clusterSize, g.mirrorLcn * g.clusterSize];
  if (Math.max(tableAt, mirrorAt) + length > g.totalSectors * g.sectorSize) return [];
  const [table, mirror] = [await device.bytes(tableAt, length), await device.bytes(mirrorAt, length)];
  const record = (of: Uint8Array, n: number): Uint8Array => of.subarray(n * g.recordSize, (n + 1) * g.recordSize);
  // Whatever stands there is a mirror only if it says so of itself.
  const first = streamOf(record(mirror, 0), g) ?? streamOf(record(table, 0), g);
  if (!first || first[0]?.lcn !== g.mftLcn) return [];
  if (first[0].length * g.clusterSize < length) return [];
  const own = streamOf(record(table, 1), g) ?? streamOf(record(mirror, 1), g);
  if (own?.[0]?.lcn !== g.mirrorLcn) return [];
  const out: Mend[] = [];
  const both: Mend[] = [];
  for (let n = 0; n < MIRRORED_RECORDS; n++) {
    const [a, b] = [record(table, n), record(mirror, n)];
    if (sameBytes(a, b)) continue;
    const [good, goodCopy] = [streamOf(a, g), streamOf(b, g)];
    const name = `record ${n} of the master file table`;
    const toTable: Mend = { offset: tableAt + n * g.recordSize, bytes: b.slice(), what: name, from: 'its mirror' };
    const toMirror: Mend = {
      offset: mirrorAt + n * g.recordSize,
      bytes: a.slice(),
      what: `the mirror of record ${n}`,
      from: name,
    };
    if (good && goodCopy) both.push(toTable, toMirror);
    else if (goodCopy) out.push(toTable);
    else if (good) out.push(toMirror);
  }
  if (both.length === 0) return out;
  const ways = [both.filter((_, i) => i % 2 === 1), both.filter((_, i) => i % 2 === 0)];
  const best = await bestOf(new PatchedDevice(device, out), ways, openWhole, COPIES_DIFFER);
  if (!best) return out;
  const unsure = best.sure ? {} : { unsure: 'Both can be read. Systems go by the table, so that it counts.' };
  return [...out, ...best.way.map((mend) => ({ ...mend, ...unsure }))];
}

/** A bitmap that says something else than the streams, where nothing else is wrong. */
async function bitmapMends(device: BlockDevice): Promise<Mend[]> {
  const volume = await whereOpen(() => openWhole(device));
  if (!volume) return [];
  const findings = await volume.check();
  const wrong = findings.some((f) => f.code === 'ntfs.unmarked' || f.code === 'ntfs.lost-clusters');
  if (!wrong || findings.some((f) => f.severity !== 'info' && !BESIDE.has(f.code))) return [];
  const { mft, geometry: g } = volume;
  const stream = mft.files.get(BITMAP)?.streams.find((s) => s.type === TYPE.data && s.name === '');
  if (!stream || stream.resident) return [];
  const bits = new Uint8Array(stream.size);
  for (const file of mft.files.values())
    for (const { runs } of file.streams)
      for (const { lcn, length } of runs) if (lcn >= 0) setBits(bits, lcn, lcn + length, true);
  // Bits behind the last cluster are set.
  setBits(bits, g.clusterCount, bits.length * 8, true);
  const writes: { offset: number; bytes: Uint8Array }[] = [];
  for (const part of partsOf(stream.runs, g.clusterSize, 0, bits.length))
    writes.push({ offset: part.at, bytes: bits.subarray(part.from, part.from + part.length) });
  return changesOf(device, writes, { what: 'the bitmap of clusters', from: 'the clusters that files have' });
}
