/** Going over the attributes of a record. Linux-NTFS “NTFS Documentation”, chapter “Attribute Header”. */
import { utf16 } from '@/core/bytes';
import { ATTRIBUTE, NON_RESIDENT, RECORD, RESIDENT, TYPE } from './record';

const MAX_ATTRIBUTES = 512;
const MAX_COMPRESSION_UNIT = 16;

/** One attribute of one record. Resident ones have a `value`, others `pairs`; both are views of the record's bytes. */
export interface Attribute {
  readonly type: number;
  readonly name: string;
  readonly flags: number;
  readonly value: Uint8Array | undefined;
  readonly pairs: Uint8Array | undefined;
  readonly lowestVcn: number;
  /** log2 of the clusters of a compression unit, 0 for none. */
  readonly compressionUnit: number;
  readonly allocatedSize: number;
  readonly dataSize: number;
  readonly initialisedSize: number;
}

/** Where things are in an attribute, as one flat object for the loop that goes over millions of them. */
const AT = { ...ATTRIBUTE.offsets, ...RESIDENT.offsets };
const RESIDENT_SIZE = RESIDENT.size;
const END = TYPE.end;

/**
 * Goes over the attributes of a record whose update sequence was undone, without making anything for those that nobody
 * wants. Its fields are those of the attribute it is at; one cursor serves any number of records.
 */
export class AttributeCursor {
  type = 0;
  resident = true;
  bodyStart = 0;
  bodyEnd = 0;
  /** Whether the attributes went on to their end mark; known once {@link next} has said that there are no more. */
  whole = false;
  #record: Uint8Array = new Uint8Array();
  #view: DataView = new DataView(this.#record.buffer);
  #at = 0;
  #next = 0;
  #end = 0;
  #seen = 0;

  /** Begins with the record of `length` bytes at `at`; positions count from the start of `bytes`. */
  begin(bytes: Uint8Array, view: DataView, at: number, length: number): void {
    this.#record = bytes;
    this.#view = view;
    this.#next = at + view.getUint16(at + RECORD.offsets.attributesOffset, true);
    this.#end = at + Math.min(view.getUint32(at + RECORD.offsets.bytesUsed, true), length);
    this.#seen = 0;
    this.whole = false;
  }

  /** Begins with attributes in bytes [from, to), which may end without a mark. */
  beginWithin(bytes: Uint8Array, view: DataView, from: number, to: number): void {
    this.#record = bytes;
    this.#view = view;
    this.#next = from;
    this.#end = to;
    this.#seen = 0;
    this.whole = false;
  }

  /** Where the attribute begins. */
  get start(): number {
    return this.#at;
  }

  /** The end of the attribute, or the start of the first before {@link next}. */
  get position(): number {
    return this.#next;
  }

  /** @returns false at the end, and where an attribute makes no sense */
  next(): boolean {
    const view = this.#view;
    const at = this.#next;
    const end = this.#end;
    if (at + 4 > end) return false;
    const type = view.getUint32(at, true);
    if (type === END) {
      this.whole = this.#seen < MAX_ATTRIBUTES;
      return false;
    }
    if (at + RESIDENT_SIZE > end || this.#seen === MAX_ATTRIBUTES) return false;
    const length = view.getUint32(at + AT.length, true);
    if (length < RESIDENT_SIZE || length % 8 !== 0 || at + length > end) return false;
    // The flag of the kind and the length of the name, then where the name is.
    const kind = view.getUint16(at + AT.nonResident, true);
    const nameLength = (kind >> 8) * 2;
    if (nameLength > 0 && view.getUint16(at + AT.nameOffset, true) + nameLength > length) return false;
    this.#seen += 1;
    this.#at = at;
    this.#next = at + length;
    this.type = type;
    this.resident = (kind & 0xff) === 0;
    if (!this.resident) return this.#nonResident(at, length);
    const size = view.getUint32(at + AT.valueLength, true);
    const from = view.getUint16(at + AT.valueOffset, true);
    this.bodyStart = at + from;
    this.bodyEnd = at + from + size;
    return from + size <= length;
  }

  #nonResident(at: number, length: number): boolean {
    if (length < NON_RESIDENT.size) return false;
    const pairsOffset = this.#view.getUint16(at + NON_RESIDENT.offsets.pairsOffset, true);
    this.bodyStart = at + pairsOffset;
    this.bodyEnd = at + length;
    return (
      pairsOffset < length &&
      this.compressionUnit <= MAX_COMPRESSION_UNIT &&
      Number.isSafeInteger(this.lowestVcn) &&
      Number.isSafeInteger(this.allocatedSize) &&
      Number.isSafeInteger(this.dataSize) &&
      Number.isSafeInteger(this.initialisedSize)
    );
  }

  get isNamed(): boolean {
    return this.#record[this.#at + AT.nameLength] !== 0;
  }

  get name(): string {
    if (!this.isNamed) return '';
    const from = this.#at + this.#view.getUint16(this.#at + AT.nameOffset, true);
    return utf16(this.#record, from, from + this.#record[this.#at + AT.nameLength]! * 2);
  }

  get flags(): number {
    return this.#view.getUint16(this.#at + AT.flags, true);
  }

  /** The value of a resident one, the mapping pairs of another: a view of the record. */
  get body(): Uint8Array {
    return this.#record.subarray(this.bodyStart, this.bodyEnd);
  }

  get lowestVcn(): number {
    return this.resident ? 0 : u64At(this.#view, this.#at + NON_RESIDENT.offsets.lowestVcn);
  }

  /** log2 of the clusters of a compression unit, 0 for none. */
  get compressionUnit(): number {
    return this.resident ? 0 : this.#record[this.#at + NON_RESIDENT.offsets.compressionUnit]!;
  }

  get allocatedSize(): number {
    return this.#size(NON_RESIDENT.offsets.allocatedSize);
  }

  get dataSize(): number {
    return this.#size(NON_RESIDENT.offsets.dataSize);
  }

  get initialisedSize(): number {
    return this.#size(NON_RESIDENT.offsets.initialisedSize);
  }

  /** A resident one is as long as its value in every respect. */
  #size(offset: number): number {
    return this.resident ? this.bodyEnd - this.bodyStart : u64At(this.#view, this.#at + offset);
  }
}

/** The attributes of a record whose update sequence was undone, or undefined when they make no sense. */
export function parseAttributes(record: Uint8Array): Attribute[] | undefined {
  const cursor = new AttributeCursor();
  cursor.begin(record, new DataView(record.buffer, record.byteOffset, record.length), 0, record.length);
  const out: Attribute[] = [];
  while (cursor.next()) {
    const { type, name, flags, resident, body } = cursor;
    const { lowestVcn, compressionUnit, allocatedSize, dataSize, initialisedSize } = cursor;
    const [value, pairs] = resident ? [body, undefined] : [undefined, body];
    out.push({ type, name, flags, value, pairs, lowestVcn, compressionUnit, allocatedSize, dataSize, initialisedSize });
  }
  return cursor.whole ? out : undefined;
}

/** A 64-bit value as a number, exact when it is a safe integer. */
function u64At(view: DataView, at: number): number {
  return view.getUint32(at, true) + view.getUint32(at + 4, true) * 2 ** 32;
}
