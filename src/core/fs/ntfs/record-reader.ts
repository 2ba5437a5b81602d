/**
 * Reads what a record of the master file table says of its file.
 *
 * Linux-NTFS “NTFS Documentation”, chapters “FILE Record”, “$STANDARD_INFORMATION” and “$FILE_NAME”.
 */
import { struct, u32, u64, u8, utf16 } from '@/core/bytes';
import type { NtfsGeometry } from './boot-sector';
import { added, NtfsStream, type NtfsFile } from './file';
import { AttributeCursor } from './attribute-cursor';
import { FLAG, RECORD, TYPE } from './record';
import { followRuns } from './runlist';

const STANDARD = struct('standard information', 48, {
  created: u64(0),
  modified: u64(8),
  changed: u64(16),
  accessed: u64(24),
  attributes: u32(32),
});

const FILE_NAME = struct('file name', 66, { parent: u64(0), flags: u32(56), nameLength: u8(64), space: u8(65) });

/** The name space of 8.3 names, which only repeat a long one. */
const DOS_SPACE = 2;

/** Words of the three times that are shown: created, modified, accessed, the low one of each first. */
export const STAMP_WORDS = 6;

/** A record whose update sequence was undone: it begins at `at`, and `view` covers the same bytes. */
export interface RecordPlace {
  readonly bytes: Uint8Array;
  readonly view: DataView;
  readonly at: number;
}

/** What one pass over a base record finds. Positions count from the start of its bytes. Filled anew for each. */
export class Sight {
  /** Whole, and all there is to say of its file. */
  plain = false;
  /** The attribute with its times, in the order of the record before that with its name; empty where it has none. */
  standardStart = 0;
  standardEnd = 0;
  standardBody = 0;
  attributes = 0;
  /** The attribute with its first long name, empty where it has none. */
  nameStart = 0;
  nameEnd = 0;
  nameBody = 0;
  nameLength = 0;
  parent = 0;
  /** Bytes of its content, 0 where it has none. */
  size = 0;
  /** It has further long names, or streams with names. */
  more = false;
  /** The first attribute, and the end of the last. */
  start = 0;
  end = 0;
}

/** Takes the streams of a record that does not tell all of its file, or not all of it rightly. */
export interface StreamTaker {
  /** @param clusters what its runs stand for, holes included; 0 for a resident one */
  take(stream: NtfsStream, lowestVcn: number, clusters: number): void;
  badRuns(): void;
}

export class RecordReader {
  readonly #cursor = new AttributeCursor();
  readonly #clusterCount: number;
  readonly #mostClusters: number;

  constructor(private readonly g: NtfsGeometry) {
    this.#clusterCount = g.clusterCount;
    // A sparse file may be far larger than its volume, but its size must be one that can be said exactly.
    this.#mostClusters = Math.ceil(Number.MAX_SAFE_INTEGER / g.clusterSize);
  }

  /** Goes over a record once. @returns false for one whose attributes make no sense, of which nothing counts */
  look({ bytes, view, at }: RecordPlace, into: Sight): boolean {
    const c = this.#cursor;
    c.begin(bytes, view, at, this.g.recordSize);
    into.start = c.position;
    into.standardStart = into.standardEnd = into.start;
    into.nameStart = into.nameEnd = into.start;
    into.attributes = into.nameLength = into.size = 0;
    into.more = false;
    // What is copied by words must begin with one.
    let plain = (into.start - at) % 8 === 0;
    let content = false;
    while (c.next()) {
      const { type, bodyStart } = c;
      if (type === TYPE.standardInformation) {
        if (into.standardEnd > into.standardStart || into.nameLength > 0 || !this.#isStandard) plain = false;
        into.standardStart = c.start;
        into.standardEnd = c.position;
        into.standardBody = bodyStart;
        if (plain) into.attributes = view.getUint32(bodyStart + STANDARD.offsets.attributes, true);
      } else if (type === TYPE.fileName) {
        if (this.#nameEnd(bytes) === 0 || bytes[bodyStart + FILE_NAME.offsets.space] === DOS_SPACE) continue;
        if (into.nameLength > 0) {
          into.more = true;
          continue;
        }
        into.nameStart = c.start;
        into.nameEnd = c.position;
        into.nameBody = bodyStart + FILE_NAME.size;
        into.nameLength = bytes[bodyStart + FILE_NAME.offsets.nameLength]!;
        into.parent = recordAt(view, bodyStart + FILE_NAME.offsets.parent);
      } else {
        if (type === TYPE.attributeList) plain = false;
        // A runlist that makes no sense gives less than any size.
        else if (!c.resident && plain)
          plain = c.lowestVcn === 0 && c.dataSize <= this.#clusters(bytes) * this.g.clusterSize;
        if (type !== TYPE.data) continue;
        if (content || c.isNamed) into.more = true;
        else into.size = c.dataSize;
        content = true;
      }
    }
    into.end = c.position;
    into.plain = plain && c.whole;
    return c.whole;
  }

  /** Takes over what the header of a base record says. */
  header(file: NtfsFile, { view, at }: RecordPlace): void {
    file.sequence = view.getUint16(at + RECORD.offsets.sequence, true);
    file.folder = (view.getUint16(at + RECORD.offsets.flags, true) & FLAG.folder) !== 0;
    file.links = view.getUint16(at + RECORD.offsets.links, true);
  }

  /**
   * Takes over what the attributes of a record say. Its bytes have to stay what they are as long as the file is used.
   */
  record(file: NtfsFile, { bytes, view, at }: RecordPlace, taker: StreamTaker): void {
    this.#cursor.begin(bytes, view, at, this.g.recordSize);
    this.#attributes(file, bytes, view, taker);
  }

  /** Takes over what attributes in bytes [from, to) say, which were found in a plain record. */
  attributes(file: NtfsFile, bytes: Uint8Array, view: DataView, from: number, to: number): void {
    this.#cursor.beginWithin(bytes, view, from, to);
    this.#attributes(file, bytes, view, undefined);
  }

  #attributes(file: NtfsFile, bytes: Uint8Array, view: DataView, taker: StreamTaker | undefined): void {
    const c = this.#cursor;
    while (c.next()) {
      if (c.type === TYPE.standardInformation) this.#standard(file, view);
      else if (c.type === TYPE.fileName) this.#name(file, view, bytes);
      else this.#stream(file, bytes, taker);
    }
  }

  get #isStandard(): boolean {
    const { resident, bodyStart, bodyEnd } = this.#cursor;
    return resident && bodyEnd - bodyStart >= STANDARD.size;
  }

  #standard(file: NtfsFile, view: DataView): void {
    if (!this.#isStandard) return;
    const { bodyStart } = this.#cursor;
    file.attributes = view.getUint32(bodyStart + STANDARD.offsets.attributes, true);
    const stamps = new Uint32Array(STAMP_WORDS);
    readStamps(view, bodyStart, stamps, 0);
    file.stampedAt(stamps, 0);
  }

  /** The end of the name at the cursor, or 0 where there is none or it makes no sense. */
  #nameEnd(bytes: Uint8Array): number {
    const { resident, bodyStart, bodyEnd } = this.#cursor;
    if (!resident || bodyEnd - bodyStart < FILE_NAME.size) return 0;
    const units = bytes[bodyStart + FILE_NAME.offsets.nameLength]!;
    const end = bodyStart + FILE_NAME.size + units * 2;
    return units > 0 && end <= bodyEnd ? end : 0;
  }

  #name(file: NtfsFile, view: DataView, bytes: Uint8Array): void {
    const end = this.#nameEnd(bytes);
    if (end === 0) return;
    const { bodyStart } = this.#cursor;
    const parent = recordAt(view, bodyStart + FILE_NAME.offsets.parent);
    const name = utf16(bytes, bodyStart + FILE_NAME.size, end);
    if (bytes[bodyStart + FILE_NAME.offsets.space] === DOS_SPACE)
      file.shortNames = added(file.shortNames, { parent, name });
    else file.addName(parent, name);
  }

  #stream(file: NtfsFile, bytes: Uint8Array, taker: StreamTaker | undefined): void {
    const c = this.#cursor;
    const clusters = taker && !c.resident ? this.#clusters(bytes) : 0;
    if (clusters < 0) return taker?.badRuns();
    const stream = new NtfsStream(
      c.type,
      c.name,
      c.flags,
      c.resident,
      c.compressionUnit,
      c.allocatedSize,
      c.dataSize,
      c.initialisedSize,
      bytes,
      c.bodyStart,
      c.bodyEnd,
    );
    if (taker) taker.take(stream, c.lowestVcn, clusters);
    else file.addStream(stream);
  }

  /** How many clusters the runs at the cursor stand for, or -1 when they make no sense or leave the volume. */
  #clusters(bytes: Uint8Array): number {
    const { bodyStart, bodyEnd } = this.#cursor;
    return followRuns(bytes, bodyStart, bodyEnd, this.#clusterCount, this.#mostClusters);
  }
}

/** The times of the standard information at `from`, as {@link STAMP_WORDS} words at `at`. */
export function readStamps(view: DataView, from: number, into: Uint32Array, at: number): void {
  const { created, modified, accessed } = STANDARD.offsets;
  into[at] = view.getUint32(from + created, true);
  into[at + 1] = view.getUint32(from + created + 4, true);
  into[at + 2] = view.getUint32(from + modified, true);
  into[at + 3] = view.getUint32(from + modified + 4, true);
  into[at + 4] = view.getUint32(from + accessed, true);
  into[at + 5] = view.getUint32(from + accessed + 4, true);
}

/** The record number of a file reference: its lower 48 bits. */
export function recordAt(view: DataView, at: number): number {
  return view.getUint32(at, true) + view.getUint16(at + 4, true) * 2 ** 32;
}
