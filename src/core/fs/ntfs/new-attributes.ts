/** Attributes of new files as bytes: standard information, names, links. */
import type { EntryDetails, FileTimes } from '../entry';
import type { NewFileFacts } from '../port';
import { toUtf16, type NewAttribute } from './build-record';
import { recordOf, TYPE } from './record';
import { isoToFiletime } from './times';

export const ARCHIVE = 0x20;
/** Name spaces: every letter and case, as systems without 8.3 names have them; with one; and the 8.3 name itself. */
const POSIX = 0;
export const WIN32 = 1;
export const DOS_SPACE = 2;
const FOLDER_FLAG = 0x10000000;
const REPARSE_FLAG = 0x400;
/** Among the attributes of standard information. */
const COMPRESSED = 0x800;
const ATTRIBUTE_BITS: Readonly<Record<string, number>> = {
  'read-only': 1,
  hidden: 2,
  system: 4,
  archive: ARCHIVE,
  sparse: 0x200,
  compressed: COMPRESSED,
};
/** In the value of a name: the kind of link, the name space, the name. */
const TAG_AT = 60;
export const SPACE_AT = 65;
const NAME_AT = 66;
/** Standard information of version 3, and the id of the security descriptor in it. */
const STANDARD_BYTES = 72;
const STANDARD_TOLD = 48;
const ATTRIBUTES_AT = 32;
const SECURITY_ID_AT = 52;

/** Standard information of a new file. @param extra attributes that it has when none are told */
export function standardFor(facts: NewFileFacts, extra: number, securityId: number): NewAttribute {
  const value = new Uint8Array(STANDARD_BYTES);
  const view = new DataView(value.buffer);
  writeTimes(view, 0, facts);
  view.setUint32(ATTRIBUTES_AT, attributeBits(facts, extra), true);
  view.setUint32(SECURITY_ID_AT, securityId, true);
  return { type: TYPE.standardInformation, value };
}

/** Times and attributes as another volume has them, with rights of this one. */
export function standardFrom(told: Uint8Array, securityId: number): NewAttribute {
  const value = new Uint8Array(STANDARD_BYTES);
  value.set(told.subarray(0, STANDARD_TOLD));
  new DataView(value.buffer).setUint32(SECURITY_ID_AT, securityId, true);
  return { type: TYPE.standardInformation, value };
}

/** The id of the security descriptor that standard information names, or 0. */
export function securityIdIn(value: Uint8Array | undefined): number {
  if (!value || value.length < STANDARD_BYTES) return 0;
  return new DataView(value.buffer, value.byteOffset, value.length).getUint32(SECURITY_ID_AT, true);
}

/** Whether standard information says that content is compressed; of a folder, that what is made in it is to be. */
export function isCompressedBy(value: Uint8Array | undefined): boolean {
  return (
    value !== undefined &&
    (new DataView(value.buffer, value.byteOffset, value.length).getUint32(ATTRIBUTES_AT, true) & COMPRESSED) !== 0
  );
}

/** A name of a new file or folder. Sizes are bytes of its content. */
export function nameFor(
  parent: bigint,
  name: string,
  facts: NewFileFacts,
  what: 'folder' | { readonly allocated: number; readonly size: number },
): Uint8Array {
  const folder = what === 'folder';
  const head = new Uint8Array(NAME_AT);
  const view = new DataView(head.buffer);
  writeTimes(view, 8, facts);
  view.setBigUint64(40, BigInt(folder ? 0 : what.allocated), true);
  view.setBigUint64(48, BigInt(folder ? 0 : what.size), true);
  view.setUint32(56, (attributeBits(facts, folder ? 0 : ARCHIVE) | (folder ? FOLDER_FLAG : 0)) >>> 0, true);
  if (facts.reparse) view.setUint32(TAG_AT, tagOf(facts.reparse), true);
  return nameLike(head, parent, name);
}

/** A further name, which repeats all that one tells beside folder and letters. */
export function nameLike(told: Uint8Array, parent: bigint, name: string): Uint8Array {
  const text = toUtf16(name);
  const value = new Uint8Array(NAME_AT + text.length);
  value.set(told.subarray(0, NAME_AT));
  new DataView(value.buffer).setBigUint64(0, parent, true);
  value[64] = name.length;
  value[SPACE_AT] = POSIX;
  value.set(text, NAME_AT);
  return value;
}

/** The letters in the value of a name. */
export const lettersIn = (value: Uint8Array): Uint8Array => value.subarray(NAME_AT);
/** The record of the folder that a name is in. */
export const parentIn = (value: Uint8Array): number =>
  recordOf(new DataView(value.buffer, value.byteOffset, 8).getBigUint64(0, true));

export const reparseOf = ({ reparse }: EntryDetails): NewAttribute[] =>
  reparse ? [{ type: TYPE.reparsePoint, value: reparse.slice() }] : [];
/** The kind of a link: the first word of what is stored of it. */
export const tagOf = (reparse: Uint8Array): number =>
  reparse.length < 4 ? 0 : new DataView(reparse.buffer, reparse.byteOffset, 4).getUint32(0, true);

function attributeBits({ attributes, reparse }: NewFileFacts, otherwise: number): number {
  const link = reparse ? REPARSE_FLAG : 0;
  if (!attributes) return otherwise | link;
  return attributes.reduce((bits, word) => bits | (ATTRIBUTE_BITS[word] ?? 0), link);
}

function writeTimes(
  view: DataView,
  at: number,
  { times = {}, changed }: { times?: FileTimes; changed?: string },
): void {
  const modified = isoToFiletime(times.modified);
  const list = [
    isoToFiletime(times.created ?? times.modified),
    modified,
    changed === undefined ? modified : isoToFiletime(changed),
    isoToFiletime(times.accessed ?? times.modified),
  ];
  list.forEach((ticks, i) => view.setBigUint64(at + i * 8, ticks, true));
}
