/**
 * The GUID partition table: a protective boot record, a header and an array of entries at the start of the disk, and
 * the same again at its end.
 *
 * UEFI 2.10 §5.3. Either copy is enough to read the disk; a copy that is damaged, or not where it belongs, is told and
 * mended whenever the table is written, since both are always written.
 */
import { crc32, formatGuid, utf16, ZERO_GUID } from '@/core/bytes';
import type { BlockDevice } from '@/core/device';
import { CoreError, type Finding } from '@/core/errors';
import { ENTRY, GPT_SIGNATURE, HEADER, NAME_UNITS, type GptDisk, type GptEntry } from './gpt-format';

const MAX_ARRAY_BYTES = 4 * 1024 * 1024;
const MAX_ENTRY_SIZE = 4096;

/** One of the two copies, whole. */
export interface Copy {
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
export async function readCopy(device: BlockDevice, lba: number): Promise<Copy | string> {
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

/** Up to the first zero. */
const nameIn = (bytes: Uint8Array): string => utf16(bytes, 0, 2 * NAME_UNITS).split('\0', 1)[0]!;

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
  const named = new Map<string, number>();
  for (const { guid } of sorted) named.set(guid, (named.get(guid) ?? 0) + 1);
  sorted.forEach((entry, i) => {
    const error = (code: string, message: string): void =>
      void out.push({ severity: 'error', code, message: `Entry ${entry.slot + 1} ${message}` });
    if (entry.lastLba < entry.firstLba || entry.firstLba < 2) error('table.past-end', 'has no stretch of its own.');
    else if (entry.lastLba >= sectors)
      error('table.past-end', `reaches to sector ${entry.lastLba}, the disk has ${sectors}.`);
    const before = sorted[i - 1];
    if (before && before.lastLba >= entry.firstLba)
      error('table.overlap', `and entry ${before.slot + 1} overlap from sector ${entry.firstLba} on.`);
    if (named.get(entry.guid)! > 1) error('table.twin', 'has the same GUID as another.');
  });
  return out;
}
