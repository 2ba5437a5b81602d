/**
 * Writing a GUID partition table: the protective record, and both copies.
 *
 * UEFI 2.10 §5.2.3 and §5.3.
 */
import { crc32, formatGuid, parseGuid } from '@/core/bytes';
import type { BlockDevice } from '@/core/device';
import { readCopy, type Copy } from './gpt';
import { ENTRY, GPT_SIGNATURE, HEADER, NAME_UNITS, type GptDisk } from './gpt-format';
import { FIRST_ENTRY, GPT_PROTECTIVE, PARTITION_ENTRY } from './mbr';

const REVISION = 0x00010000;

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
  PARTITION_ENTRY.encode(
    { status: 0, firstChs: Uint8Array.of(0, 2, 0), type: GPT_PROTECTIVE, lastChs, startLba: 1, lengthSectors },
    out,
    FIRST_ENTRY,
  );
  out.set([0x55, 0xaa], 510);
  return out;
}
