/**
 * The GUID partition table: a protective boot record, a header and an array of entries at the start of the disk, and
 * the same again at its end.
 *
 * UEFI 2.10 §5.3. Either copy is enough to read the disk; a copy that is damaged, or not where it belongs, is told and
 * mended whenever the table is written, since both are always written.
 */
import { crc32, formatGuid, parseGuid, raw, struct, text, u32, u64, u8, ZERO_GUID } from '@/core/bytes';
import type { BlockDevice } from '@/core/device';
import { CoreError, type Finding } from '@/core/errors';

const HEADER = struct('GPT header', 92, {
  signature: text(0, 8),
  revision: u32(8),
  headerSize: u32(12),
  headerCrc: u32(16),
  reserved: u32(20),
  myLba: u64(24),
  alternateLba: u64(32),
  firstUsableLba: u64(40),
  lastUsableLba: u64(48),
  diskGuid: raw(56, 16),
  arrayLba: u64(72),
  entryCount: u32(80),
  entrySize: u32(84),
  arrayCrc: u32(88),
});

const ENTRY = struct('GPT entry', 128, {
  typeGuid: raw(0, 16),
  guid: raw(16, 16),
  firstLba: u64(32),
  lastLba: u64(40),
  attributes: u64(48),
  name: raw(56, 72),
});

const PROTECTIVE = struct('protective entry', 16, {
  status: u8(0),
  firstChs: raw(1, 3),
  type: u8(4),
  lastChs: raw(5, 3),
  startLba: u32(8),
  lengthSectors: u32(12),
});

const GPT_SIGNATURE = 'EFI PART';
const REVISION = 0x00010000;
const PROTECTIVE_TYPE = 0xee;
const PROTECTIVE_AT = 446;
const MAX_ARRAY_BYTES = 4 * 1024 * 1024;
const MAX_ENTRY_SIZE = 4096;
const NAME_UNITS = 36;
/** What a new table has, and the least any table has. */
export const USUAL_ENTRIES = 128;
export const USUAL_ENTRY_SIZE = 128;

/** Bits of an entry's attributes that have a meaning here (§5.3.3, and the ones basic data volumes use). */
const GPT_FLAG_BITS = { required: 0n, 'read-only': 60n, hidden: 62n, 'no-letter': 63n } as const;
export type VolumeFlag = keyof typeof GPT_FLAG_BITS;

/** One entry in use. `slot` is its place in the array; both LBAs are part of the volume. */
export interface GptEntry {
  readonly slot: number;
  readonly typeGuid: string;
  readonly guid: string;
  readonly firstLba: number;
  readonly lastLba: number;
  /** All 64 bits, as 16 hexadecimal digits. */
  readonly attributes: string;
  readonly name: string;
}

/** A table as it is or is to be. Plain data. */
export interface GptDisk {
  readonly kind: 'gpt';
  readonly diskGuid: string;
  readonly entryCount: number;
  readonly entrySize: number;
  readonly entries: readonly GptEntry[];
}

/** Stretches of a disk that the two copies take, in bytes. */
export function gptRoom(
  { entryCount, entrySize }: Pick<GptDisk, 'entryCount' | 'entrySize'>,
  size: number,
  sectorSize: number,
): { first: number; last: number } {
  const array = Math.ceil((entryCount * entrySize) / sectorSize) * sectorSize;
  const end = Math.floor(size / sectorSize) * sectorSize;
  return { first: 2 * sectorSize + array, last: end - sectorSize - array };
}

interface Copy {
  readonly lba: number;
  readonly header: ReturnType<typeof HEADER.decode>;
  readonly array: Uint8Array;
}

export interface ReadGpt {
  readonly table: GptDisk;
  readonly findings: readonly Finding[];
}

/** Whether the sector opens a header. */
export function isGptHeader(sector: Uint8Array): boolean {
  return String.fromCharCode(...sector.subarray(0, GPT_SIGNATURE.length)) === GPT_SIGNATURE;
}

/**
 * Reads the table from whichever copy is whole.
 * @returns undefined when neither copy begins like one
 * @throws CoreError `table.damaged` when there is one and neither copy is whole
 */
export async function readGpt(device: BlockDevice): Promise<ReadGpt | undefined> {
  const lastLba = Math.floor(device.size / device.sectorSize) - 1;
  if (lastLba < 2) return undefined;
  const primary = await readCopy(device, 1);
  const told = typeof primary === 'string' ? undefined : Number(primary.header.alternateLba);
  const places = [...new Set([told, lastLba])].filter((lba): lba is number => lba !== undefined && lba <= lastLba);
  let backup: Copy | string = 'it is not on the disk';
  for (const lba of places) {
    const copy = await readCopy(device, lba);
    if (typeof copy !== 'string' || backup === 'it is not on the disk') backup = copy;
    if (typeof backup !== 'string') break;
  }
  const whole = typeof primary !== 'string' ? primary : typeof backup !== 'string' ? backup : undefined;
  if (!whole) {
    const any = isGptHeader(await device.bytes(device.sectorSize, device.sectorSize));
    if (any) throw new CoreError('table.damaged', { reason: `${primary as string}, and so is its backup`, sector: 1 });
    return undefined;
  }
  const { header } = whole;
  const table: GptDisk = {
    kind: 'gpt',
    diskGuid: formatGuid(header.diskGuid),
    entryCount: header.entryCount,
    entrySize: header.entrySize,
    entries: entriesIn(whole),
  };
  return { table, findings: [...copyFindings(primary, backup, lastLba), ...entryFindings(table, device)] };
}

/** A copy of the table, or why it is none. */
async function readCopy(device: BlockDevice, lba: number): Promise<Copy | string> {
  const { sectorSize, size } = device;
  const sector = await device.bytes(lba * sectorSize, sectorSize);
  if (!isGptHeader(sector)) return 'its header is missing';
  const header = HEADER.decode(sector);
  const { headerSize, entrySize, entryCount } = header;
  if (headerSize < HEADER.size || headerSize > sectorSize) return `its header says it has ${headerSize} bytes`;
  const covered = sector.slice(0, headerSize);
  HEADER.encode({ headerCrc: 0 }, covered);
  if (crc32(covered) !== header.headerCrc) return 'the checksum of its header does not agree';
  if (header.myLba !== BigInt(lba)) return `its header is meant for sector ${header.myLba}`;
  const powerOfTwo = entrySize >= ENTRY.size && entrySize <= MAX_ENTRY_SIZE && (entrySize & (entrySize - 1)) === 0;
  if (!powerOfTwo || entryCount === 0 || entryCount * entrySize > MAX_ARRAY_BYTES)
    return `it has ${entryCount} entries of ${entrySize} bytes`;
  const at = Number(header.arrayLba) * sectorSize;
  if (!Number.isSafeInteger(at) || at < sectorSize || at + entryCount * entrySize > size)
    return 'its entries are not on the disk';
  const array = await device.bytes(at, entryCount * entrySize);
  return crc32(array) === header.arrayCrc ? { lba, header, array } : 'the checksum of its entries does not agree';
}

function entriesIn({ header: { entryCount, entrySize }, array }: Copy): GptEntry[] {
  const out: GptEntry[] = [];
  for (let slot = 0; slot < entryCount; slot++) {
    const e = ENTRY.decode(array, slot * entrySize);
    const typeGuid = formatGuid(e.typeGuid);
    if (typeGuid === ZERO_GUID) continue;
    out.push({
      slot,
      typeGuid,
      guid: formatGuid(e.guid),
      firstLba: Number(e.firstLba),
      lastLba: Number(e.lastLba),
      attributes: e.attributes.toString(16).toUpperCase().padStart(16, '0'),
      name: nameIn(e.name),
    });
  }
  return out;
}

function nameIn(bytes: Uint8Array): string {
  let out = '';
  for (let i = 0; i < NAME_UNITS; i++) {
    const unit = bytes[2 * i]! | (bytes[2 * i + 1]! << 8);
    if (unit === 0) break;
    out += String.fromCharCode(unit);
  }
  return out;
}

/** What is wrong with either copy; writing the table mends it. */
function copyFindings(primary: Copy | string, backup: Copy | string, lastLba: number): Finding[] {
  const warn = (code: string, message: string): Finding => ({ severity: 'warning', code, message });
  if (typeof primary === 'string')
    return [warn('gpt.primary', `The table at the start of the disk is damaged: ${primary}. Its backup is whole.`)];
  if (typeof backup === 'string')
    return [warn('gpt.backup', `The backup of the table is damaged: ${backup}. The table itself is whole.`)];
  const out: Finding[] = [];
  if (backup.lba !== lastLba)
    out.push(
      warn(
        'gpt.backup-place',
        'The backup of the table is not at the end of the disk: the table was made for a smaller one.',
      ),
    );
  const same = primary.header.arrayCrc === backup.header.arrayCrc && sameGuid(primary, backup);
  if (!same)
    out.push(warn('gpt.copies', 'The two copies of the table differ. The one at the start of the disk counts.'));
  return out;
}

const sameGuid = (a: Copy, b: Copy): boolean => formatGuid(a.header.diskGuid) === formatGuid(b.header.diskGuid);

function entryFindings(table: GptDisk, device: BlockDevice): Finding[] {
  const out: Finding[] = [];
  const sectors = Math.floor(device.size / device.sectorSize);
  const sorted = [...table.entries].sort((a, b) => a.firstLba - b.firstLba);
  sorted.forEach((entry, i) => {
    const error = (code: string, message: string): void =>
      void out.push({ severity: 'error', code, message: `Entry ${entry.slot + 1} ${message}` });
    if (entry.lastLba < entry.firstLba || entry.firstLba < 2) error('table.past-end', 'has no stretch of its own.');
    else if (entry.lastLba >= sectors)
      error('table.past-end', `reaches to sector ${entry.lastLba}, the disk has ${sectors}.`);
    const before = sorted[i - 1];
    if (before && before.lastLba >= entry.firstLba)
      error('table.overlap', `and entry ${before.slot + 1} overlap from sector ${entry.firstLba} on.`);
    if (table.entries.some((other) => other !== entry && other.guid === entry.guid))
      error('table.twin', 'has the same GUID as another.');
  });
  return out;
}

/** A write of the table. */
export interface TableWrite {
  readonly offset: number;
  readonly bytes: Uint8Array;
}

/** Both copies and the protective record. What entries hold beyond the fields known here is kept. */
export async function gptWrites(device: BlockDevice, table: GptDisk): Promise<TableWrite[]> {
  const { sectorSize, size } = device;
  const lastLba = Math.floor(size / sectorSize) - 1;
  const arraySectors = Math.ceil((table.entryCount * table.entrySize) / sectorSize);
  const array = new Uint8Array(arraySectors * sectorSize);
  array.set(await previousArray(device, table));
  layEntries(array, table);
  const arrayCrc = crc32(array.subarray(0, table.entryCount * table.entrySize));
  const header = (myLba: number, alternateLba: number, arrayLba: number): Uint8Array => {
    const sector = new Uint8Array(sectorSize);
    HEADER.encode(
      {
        signature: GPT_SIGNATURE,
        revision: REVISION,
        headerSize: HEADER.size,
        myLba: BigInt(myLba),
        alternateLba: BigInt(alternateLba),
        firstUsableLba: BigInt(2 + arraySectors),
        lastUsableLba: BigInt(lastLba - 1 - arraySectors),
        diskGuid: parseGuid(table.diskGuid),
        arrayLba: BigInt(arrayLba),
        entryCount: table.entryCount,
        entrySize: table.entrySize,
        arrayCrc,
      },
      sector,
    );
    HEADER.encode({ headerCrc: crc32(sector.subarray(0, HEADER.size)) }, sector);
    return sector;
  };
  const backupArray = lastLba - arraySectors;
  return [
    { offset: 0, bytes: protectiveRecord(await device.bytes(0, sectorSize), lastLba) },
    { offset: sectorSize, bytes: header(1, lastLba, 2) },
    { offset: 2 * sectorSize, bytes: array },
    { offset: backupArray * sectorSize, bytes: array },
    { offset: lastLba * sectorSize, bytes: header(lastLba, 1, backupArray) },
  ];
}

/** The entries as they are, where the table there now is of the same shape; else zeros. */
async function previousArray(device: BlockDevice, table: GptDisk): Promise<Uint8Array> {
  const same = (copy: Copy | string): copy is Copy =>
    typeof copy !== 'string' &&
    copy.header.entrySize === table.entrySize &&
    copy.header.entryCount === table.entryCount &&
    formatGuid(copy.header.diskGuid) === table.diskGuid;
  for (const lba of [1, Math.floor(device.size / device.sectorSize) - 1]) {
    const copy = await readCopy(device, lba);
    if (same(copy)) return copy.array;
  }
  return new Uint8Array();
}

function layEntries(array: Uint8Array, table: GptDisk): void {
  const bySlot = new Map(table.entries.map((e) => [e.slot, e]));
  for (let slot = 0; slot < table.entryCount; slot++) {
    const at = slot * table.entrySize;
    const entry = bySlot.get(slot);
    // What belongs to another volume is not kept for a new one.
    if (!entry || formatGuid(array, at + 16) !== entry.guid) array.fill(0, at, at + table.entrySize);
    if (!entry) continue;
    const name = new Uint8Array(2 * NAME_UNITS);
    for (let i = 0; i < Math.min(NAME_UNITS, entry.name.length); i++) {
      name[2 * i] = entry.name.charCodeAt(i) & 0xff;
      name[2 * i + 1] = entry.name.charCodeAt(i) >> 8;
    }
    ENTRY.encode(
      {
        typeGuid: parseGuid(entry.typeGuid),
        guid: parseGuid(entry.guid),
        firstLba: BigInt(entry.firstLba),
        lastLba: BigInt(entry.lastLba),
        attributes: BigInt(`0x${entry.attributes}`),
        name,
      },
      array,
      at,
    );
  }
}

/** §5.2.3: one entry over the whole disk, or as much of it as 32 bits can say; boot code is kept. */
function protectiveRecord(previous: Uint8Array, lastLba: number): Uint8Array {
  const out = previous.slice();
  // The disk signature is unused, and so are the other entries.
  out.fill(0, 440, 510);
  const lengthSectors = Math.min(0xffffffff, lastLba);
  const lastChs = Uint8Array.of(0xff, 0xff, 0xff);
  PROTECTIVE.encode(
    { status: 0, firstChs: Uint8Array.of(0, 2, 0), type: PROTECTIVE_TYPE, lastChs, startLba: 1, lengthSectors },
    out,
    PROTECTIVE_AT,
  );
  out.set([0x55, 0xaa], 510);
  return out;
}

/** The flags among an entry's attributes. */
export function flagsIn(attributes: string): VolumeFlag[] {
  const bits = BigInt(`0x${attributes}`);
  return (Object.keys(GPT_FLAG_BITS) as VolumeFlag[]).filter((flag) => bits & (1n << GPT_FLAG_BITS[flag]));
}

/** Attributes of an entry that has none. */
export const NO_ATTRIBUTES = '0000000000000000';

/** Attributes with these flags and every other bit as it was. */
export function withFlags(attributes: string, flags: readonly VolumeFlag[]): string {
  // Nearly all volumes have none, and a plan asks for each of them after every move.
  if (flags.length === 0 && attributes === NO_ATTRIBUTES) return attributes;
  let bits = BigInt(`0x${attributes}`);
  for (const [flag, bit] of Object.entries(GPT_FLAG_BITS) as [VolumeFlag, bigint][]) {
    bits = flags.includes(flag) ? bits | (1n << bit) : bits & ~(1n << bit);
  }
  return bits.toString(16).toUpperCase().padStart(16, '0');
}
