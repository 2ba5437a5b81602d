/**
 * Directory entries of exFAT: 32 bytes each, a file's in a set with a checksum over all of it.
 *
 * “exFAT file system specification”, sections 6 (directory structure) and 7 (entry definitions).
 */
import { raw, spell, struct, u16, u16At, u32, u64, u8, unitList } from '@/core/bytes';
import type { FileTimes } from '../entry';
import { isoToStamp, stampToIso } from '../dos-time';

export const ENTRY_BYTES = 32;
export const TYPE = {
  bitmap: 0x81,
  upcase: 0x82,
  label: 0x83,
  noLabel: 0x03,
  file: 0x85,
  stream: 0xc0,
  name: 0xc1,
} as const;
export const IN_USE = 0x80;
export const SECONDARY = 0x40;
export const STREAM_FLAG = { allocation: 1, contiguous: 2 } as const;
export const ATTRIBUTE = { readOnly: 1, hidden: 2, system: 4, folder: 16, archive: 32 } as const;
export const NAME_UNITS = 15;
const MAX_NAME = 255;
const FORBIDDEN = /[\u0000-\u001f"*/:<>?\\|]/;

/** Why a name can't be that of a file (section 7.7.3). */
export function exfatNameFault(name: string): 'letters' | 'length' | undefined {
  if (name.length > MAX_NAME) return 'length';
  return name.length === 0 || FORBIDDEN.test(name) || name === '.' || name === '..' ? 'letters' : undefined;
}
export const LABEL_UNITS = 11;

export const FILE = struct('file entry', 32, {
  type: u8(0),
  secondaryCount: u8(1),
  checksum: u16(2),
  attributes: u16(4),
  created: u32(8),
  modified: u32(12),
  accessed: u32(16),
  created10ms: u8(20),
  modified10ms: u8(21),
  createdZone: u8(22),
  modifiedZone: u8(23),
  accessedZone: u8(24),
});

/** Every entry with an allocation has flags, a first cluster and a length at these places (sections 6.3 and 6.4). */
export const STREAM = struct('stream extension', 32, {
  type: u8(0),
  flags: u8(1),
  nameLength: u8(3),
  nameHash: u16(4),
  validLength: u64(8),
  firstCluster: u32(20),
  length: u64(24),
});

export const UPCASE = struct('case-table entry', 32, {
  type: u8(0),
  checksum: u32(4),
  firstCluster: u32(20),
  length: u64(24),
});
export const LABEL = struct('label entry', 32, { type: u8(0), count: u8(1), units: raw(2, 22) });

/** The checksum of the set at `at`, its own two bytes left out (figure 2 of section 6.3.3). */
export function setChecksum(bytes: Uint8Array, at = 0, setBytes = bytes.length): number {
  let sum = 0;
  for (let i = at; i < at + 2; i++) sum = (((sum << 15) | (sum >>> 1)) + bytes[i]!) & 0xffff;
  for (let i = at + 4; i < at + setBytes; i++) sum = (((sum << 15) | (sum >>> 1)) + bytes[i]!) & 0xffff;
  return sum;
}

/** The hash of a name in capitals (figure 4 of section 7.6.4). */
export function nameHash(name: string, upcase: Uint16Array): number {
  let hash = 0;
  for (let i = 0; i < name.length; i++) hash = hashOn(hash, upcase[name.charCodeAt(i)]!);
  return hash;
}

function hashOn(hash: number, unit: number): number {
  const half = (((hash << 15) | (hash >>> 1)) + (unit & 0xff)) & 0xffff;
  return (((half << 15) | (half >>> 1)) + (unit >> 8)) & 0xffff;
}

/** The hash of the first units of the name that the set at `at` spells. */
export function nameHashIn(bytes: Uint8Array, at: number, units: number, upcase: Uint16Array): number {
  let hash = 0;
  for (let done = 0, entry = at + 2 * ENTRY_BYTES; done < units; done += NAME_UNITS, entry += ENTRY_BYTES) {
    const end = entry + 2 + 2 * Math.min(NAME_UNITS, units - done);
    for (let unit = entry + 2; unit < end; unit += 2) hash = hashOn(hash, upcase[u16At(bytes, unit)]!);
  }
  return hash;
}

/** The checksum of a case table (figure 3 of section 7.2.2). */
export function tableChecksum(table: Uint8Array): number {
  let sum = 0;
  for (const byte of table) sum = (((sum << 31) | (sum >>> 1)) + byte) >>> 0;
  return sum;
}

const ZONE_VALID = 0x80;

function timeOf(stamp: number, tens: number | undefined, zone: number): string | undefined {
  const text = stampToIso({
    date: stamp >>> 16,
    time: stamp & 0xffff,
    ...(tens === undefined ? {} : { hundredths: tens }),
  });
  if (text === undefined || (zone & ZONE_VALID) === 0) return text;
  const quarters = (zone & 0x40 ? (zone & 0x7f) - 0x80 : zone & 0x7f) * 15;
  if (quarters === 0) return `${text}Z`;
  const pad = (n: number): string => String(n).padStart(2, '0');
  const minutes = Math.abs(quarters);
  return `${text}${quarters < 0 ? '-' : '+'}${pad(Math.floor(minutes / 60))}:${pad(minutes % 60)}`;
}

/** The times of a file entry, with a zone where one is stored. */
export function timesOf(e: ReturnType<typeof FILE.decode>): FileTimes {
  return {
    created: timeOf(e.created, e.created10ms, e.createdZone),
    modified: timeOf(e.modified, e.modified10ms, e.modifiedZone),
    accessed: timeOf(e.accessed, undefined, e.accessedZone),
  };
}

function stampOf(iso: string | undefined): { stamp: number; tens: number; zone: number } {
  const { date, time, hundredths } = isoToStamp(iso);
  return { stamp: ((date << 16) | time) >>> 0, tens: hundredths, zone: zoneOf(iso) };
}

/** The zone of a time as the field has it: quarters of an hour in seven bits; 0 for none. */
function zoneOf(iso = ''): number {
  if (iso.endsWith('Z')) return ZONE_VALID;
  const [, sign, hours, minutes] = /([+-])(\d\d):(\d\d)$/.exec(iso.slice(10)) ?? [];
  if (!sign) return 0;
  const quarters = Math.round((Number(hours) * 60 + Number(minutes)) / 15) * (sign === '-' ? -1 : 1);
  return Math.abs(quarters) < 64 ? ZONE_VALID | (quarters & 0x7f) : 0;
}

/** A time that says nothing is 1 January 1980, since the field has no other way to be empty. */
const EPOCH = '1980-01-01T00:00:00';

/** Times as they are read once they have been stored. */
export function storedTimes({ created, modified, accessed }: FileTimes): FileTimes {
  const read = (iso: string | undefined, fine: boolean): string | undefined => {
    const { stamp, tens, zone } = stampOf(iso ?? EPOCH);
    return timeOf(stamp, fine ? tens : undefined, zone);
  };
  return {
    created: read(created ?? modified, true),
    modified: read(modified, true),
    accessed: read(accessed ?? modified, false),
  };
}

/** The set of a new file or folder. */
export function buildSet(
  name: string,
  upcase: Uint16Array,
  facts: {
    attributes: number;
    times: FileTimes;
    flags: number;
    firstCluster: number;
    length: number;
  },
): Uint8Array {
  const names = Math.ceil(name.length / NAME_UNITS);
  const set = new Uint8Array((2 + names) * ENTRY_BYTES);
  const modified = stampOf(facts.times.modified ?? EPOCH);
  const created = stampOf(facts.times.created ?? facts.times.modified ?? EPOCH);
  const accessed = stampOf(facts.times.accessed ?? facts.times.modified ?? EPOCH);
  FILE.encode(
    {
      type: TYPE.file,
      secondaryCount: 1 + names,
      attributes: facts.attributes,
      created: created.stamp,
      modified: modified.stamp,
      accessed: accessed.stamp,
      created10ms: created.tens,
      modified10ms: modified.tens,
      createdZone: created.zone,
      modifiedZone: modified.zone,
      accessedZone: accessed.zone,
    },
    set,
  );
  STREAM.encode(
    {
      type: TYPE.stream,
      flags: facts.flags,
      nameLength: name.length,
      nameHash: nameHash(name, upcase),
      validLength: BigInt(facts.length),
      firstCluster: facts.firstCluster,
      length: BigInt(facts.length),
    },
    set,
    ENTRY_BYTES,
  );
  const view = new DataView(set.buffer);
  for (let i = 0; i < name.length; i++) {
    const entry = 2 + Math.floor(i / NAME_UNITS);
    set[entry * ENTRY_BYTES] = TYPE.name;
    view.setUint16(entry * ENTRY_BYTES + 2 + (i % NAME_UNITS) * 2, name.charCodeAt(i), true);
  }
  FILE.encode({ checksum: setChecksum(set) }, set);
  return set;
}

/** A unit of the name that the set at `at` spells. */
function unitOf(bytes: Uint8Array, at: number, index: number): number {
  const entry = Math.floor(index / NAME_UNITS);
  return u16At(bytes, at + (2 + entry) * ENTRY_BYTES + 2 + (index - entry * NAME_UNITS) * 2);
}

/** How many units the name of a set has: as many as its stream entry says, and no more than there are entries for. */
export function nameLengthIn(bytes: Uint8Array, at: number, setBytes: number): number {
  let entries = 2;
  while (entries * ENTRY_BYTES < setBytes && bytes[at + entries * ENTRY_BYTES] === TYPE.name) entries += 1;
  return Math.min(bytes[at + ENTRY_BYTES + STREAM.offsets.nameLength]!, (entries - 2) * NAME_UNITS);
}

/** The name that the entries of the set at `at` spell. */
export function nameIn(bytes: Uint8Array, at = 0, setBytes = bytes.length): string {
  const units = unitList(nameLengthIn(bytes, at, setBytes));
  for (let i = 0; i < units.length; i++) units[i] = unitOf(bytes, at, i);
  return spell(units);
}
