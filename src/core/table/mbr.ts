/**
 * The master boot record: one sector with boot code, a disk signature and four entries.
 *
 * Follows the layout in UEFI 2.10 §5.2.1 (legacy MBR), including its CHS rules: addresses beyond cylinder 1023 are
 * written as the largest address. Entries are kept byte for byte unless they change; boot code always.
 */
import { struct, u16, u32, u8, raw } from '@/core/bytes';
import { CoreError, type Finding } from '@/core/errors';

/** The boot sector around the entries. Its size is the smallest sector; larger sectors hold zeros behind it. */
const MBR = struct('master boot record', 512, {
  bootCode: raw(0, 440),
  diskSignature: u32(440),
  reserved: u16(444),
  signature: u16(510),
});

/** One entry, here and in the protective record of a GUID table. */
export const PARTITION_ENTRY = struct('partition entry', 16, {
  status: u8(0),
  firstChs: raw(1, 3),
  type: u8(4),
  lastChs: raw(5, 3),
  startLba: u32(8),
  lengthSectors: u32(12),
});

/** Where the first entry stands in the sector. */
export const FIRST_ENTRY = 446;
export const MBR_ENTRIES = 4;
const BOOT_SIGNATURE = 0xaa55;
const ACTIVE = 0x80;
const HEADS = 255;
const SECTORS_A_TRACK = 63;
const LAST_CYLINDER = 1023;
const MAX_U32 = 0xffffffff;

/** Type codes of containers: an extended partition holds a chain of logical ones. */
export const EXTENDED_TYPES: ReadonlySet<number> = new Set([0x05, 0x0f, 0x85]);
/** The type code of a protective entry for a GPT. */
export const GPT_PROTECTIVE = 0xee;

/** One entry in use. `slot` is its place in the table, 0 to 3; LBAs and lengths are in sectors. */
export interface MbrEntry {
  readonly slot: number;
  readonly active: boolean;
  readonly type: number;
  readonly startLba: number;
  readonly lengthSectors: number;
}

/** A parsed table with what was found wrong in it. */
export interface MbrTable {
  readonly diskSignature: number;
  readonly entries: readonly MbrEntry[];
  readonly findings: readonly Finding[];
}

/** Whether the sector carries the boot signature, which tables and boot sectors share. */
export function hasBootSignature(sector: Uint8Array): boolean {
  return sector.length >= 512 && MBR.decode(sector).signature === BOOT_SIGNATURE;
}

/**
 * Whether the four entries can be a table: every status byte is legal, entries in use have a start and a length, and
 * at least one is in use. Boot code of a bare file system seldom passes.
 */
export function looksLikeTable(sector: Uint8Array): boolean {
  if (!hasBootSignature(sector)) return false;
  let used = 0;
  for (let slot = 0; slot < MBR_ENTRIES; slot++) {
    const entry = PARTITION_ENTRY.decode(sector, FIRST_ENTRY + slot * PARTITION_ENTRY.size);
    if (entry.status !== 0 && entry.status !== ACTIVE) return false;
    if (entry.type === 0) continue;
    if (entry.startLba === 0 || entry.lengthSectors === 0) return false;
    used += 1;
  }
  return used > 0;
}

/**
 * Parses the table in `sector` for a disk of `diskSectors` sectors. Entries past the end of the disk and overlapping
 * entries are findings, so that the disk can be looked at and left alone.
 * @throws CoreError `table.damaged` without a boot signature
 */
export function parseMbr(sector: Uint8Array, diskSectors: number): MbrTable {
  if (!hasBootSignature(sector))
    throw new CoreError('table.damaged', { reason: 'its signature is missing', sector: 0 });
  const entries: MbrEntry[] = [];
  for (let slot = 0; slot < MBR_ENTRIES; slot++) {
    const e = PARTITION_ENTRY.decode(sector, FIRST_ENTRY + slot * PARTITION_ENTRY.size);
    if (e.type === 0 || e.lengthSectors === 0) continue;
    const { type, startLba, lengthSectors } = e;
    entries.push({ slot, active: (e.status & ACTIVE) !== 0, type, startLba, lengthSectors });
  }
  return {
    diskSignature: MBR.decode(sector).diskSignature,
    entries,
    findings: [...pastEnd(entries, diskSectors), ...overlaps(entries)],
  };
}

function pastEnd(entries: readonly MbrEntry[], diskSectors: number): Finding[] {
  return entries
    .filter((e) => e.startLba + e.lengthSectors > diskSectors || e.startLba === 0)
    .map((e) => ({
      severity: 'error' as const,
      code: 'table.past-end',
      message: `Entry ${e.slot + 1} reaches to sector ${e.startLba + e.lengthSectors}, the disk has ${diskSectors}.`,
      offset: FIRST_ENTRY + e.slot * PARTITION_ENTRY.size,
    }));
}

function overlaps(entries: readonly MbrEntry[]): Finding[] {
  const sorted = [...entries].sort((a, b) => a.startLba - b.startLba);
  const findings: Finding[] = [];
  for (let i = 1; i < sorted.length; i++) {
    const [a, b] = [sorted[i - 1]!, sorted[i]!];
    if (a.startLba + a.lengthSectors <= b.startLba) continue;
    findings.push({
      severity: 'error',
      code: 'table.overlap',
      message: `Entries ${a.slot + 1} and ${b.slot + 1} overlap from sector ${b.startLba} on.`,
      offset: FIRST_ENTRY + b.slot * PARTITION_ENTRY.size,
    });
  }
  return findings;
}

/**
 * The sector with these entries in place of the old ones. An entry equal to the one in its slot keeps its bytes, CHS
 * fields included; slots without an entry are cleared. The caller owns the result.
 * @param previous the sector as it is, or zeros for a new table
 * @throws CoreError `table.too-far` when an entry does not fit 32-bit sector numbers
 */
export function serialiseMbr(previous: Uint8Array, entries: readonly MbrEntry[], diskSignature?: number): Uint8Array {
  const sector = new Uint8Array(previous);
  MBR.encode({ signature: BOOT_SIGNATURE, ...(diskSignature === undefined ? {} : { diskSignature }) }, sector);
  for (let slot = 0; slot < MBR_ENTRIES; slot++) {
    const at = FIRST_ENTRY + slot * PARTITION_ENTRY.size;
    const entry = entries.find((e) => e.slot === slot);
    if (!entry) sector.fill(0, at, at + PARTITION_ENTRY.size);
    else if (!sameEntry(PARTITION_ENTRY.decode(previous, at), entry)) writeEntry(sector, at, entry);
  }
  return sector;
}

type RawEntry = ReturnType<typeof PARTITION_ENTRY.decode>;

function sameEntry(old: RawEntry, entry: MbrEntry): boolean {
  return (
    old.status === (entry.active ? ACTIVE : 0) &&
    old.type === entry.type &&
    old.startLba === entry.startLba &&
    old.lengthSectors === entry.lengthSectors
  );
}

function writeEntry(sector: Uint8Array, at: number, entry: MbrEntry): void {
  const { startLba, lengthSectors, type } = entry;
  if (startLba > MAX_U32 || lengthSectors > MAX_U32) throw new CoreError('table.too-far', { startLba, lengthSectors });
  PARTITION_ENTRY.encode(
    {
      status: entry.active ? ACTIVE : 0,
      firstChs: chs(startLba),
      type,
      lastChs: chs(startLba + lengthSectors - 1),
      startLba,
      lengthSectors,
    },
    sector,
    at,
  );
}

/** A sector number as head, sector and cylinder of 255 heads and 63 sectors a track, or the largest such address. */
export function chs(lba: number): Uint8Array {
  const cylinder = Math.floor(lba / (HEADS * SECTORS_A_TRACK));
  if (cylinder > LAST_CYLINDER) return Uint8Array.of(0xfe, 0xff, 0xff);
  const head = Math.floor(lba / SECTORS_A_TRACK) % HEADS;
  const sector = (lba % SECTORS_A_TRACK) + 1;
  return Uint8Array.of(head, sector | ((cylinder >> 8) << 6), cylinder & 0xff);
}
