/**
 * Every file of a volume by record number, small enough for volumes with millions.
 *
 * A file that its record tells all of is kept in one short stretch of bytes: what is asked for most in words, then the
 * attributes that are read anew when somebody wants them, then its name. Objects for each name, stream and run would be
 * several times as large, and the garbage collector would go over all of them while the table is read. Files that take
 * more than their record to tell are kept as they were put together.
 */
import { Blocks } from './blocks';
import { NtfsFile } from './file';
import { FLAG, RECORD } from './record';
import { readStamps, STAMP_WORDS, type RecordPlace, type RecordReader, type Sight } from './record-reader';

const STATE = { none: 0, plain: 1, whole: 2 } as const;
/** Of a plain file: its first name is kept as such; a walk has to ask for all of it; it is a folder; it has times. */
const [NAMED, MORE, FOLDER, STAMPED] = [4, 8, 16, 32];

/** Words of a stretch. The size is a double, and the record number of the folder is in a word and a half. */
const AT = {
  sequenceAndLinks: 0,
  attributes: 1,
  stamps: 2,
  size: 2 + STAMP_WORDS,
  parent: 4 + STAMP_WORDS,
  parentAndNameLength: 5 + STAMP_WORDS,
  rest: 6 + STAMP_WORDS,
  end: 8 + STAMP_WORDS,
} as const;
const WORD = 4;

/** What a walk wants of a file with one name in ASCII and no streams with names. Filled anew for each. */
export class Glance {
  folder = false;
  attributes = 0;
  parent = 0;
  size = 0;
  /** The bytes of its name. */
  names: Uint8Array = new Uint8Array();
  nameFrom = 0;
  nameLength = 0;
}

export class FileTable {
  readonly #state: Uint8Array;
  readonly #positions: Uint32Array;
  readonly #blocks = new Blocks();
  readonly #whole = new Map<number, NtfsFile>();

  /** Room for files in records below `records`. */
  constructor(
    readonly records: number,
    private readonly reader: RecordReader,
  ) {
    this.#state = new Uint8Array(records);
    this.#positions = new Uint32Array(records);
  }

  /** The file whose base record has this number. */
  get(number: number): NtfsFile | undefined {
    const state = this.#state[number] ?? STATE.none;
    if (state & STATE.plain) return this.#read(number, state);
    return state === STATE.whole ? this.#whole.get(number) : undefined;
  }

  /** Whether there is a folder with this number. */
  isFolder(number: number): boolean {
    const state = this.#state[number] ?? STATE.none;
    return state === STATE.whole ? this.#whole.get(number)!.folder : (state & FOLDER) !== 0;
  }

  /** The sequence number of the file with this number, or undefined where there is none. */
  sequenceOf(number: number): number | undefined {
    const state = this.#state[number] ?? STATE.none;
    if (state === STATE.whole) return this.#whole.get(number)!.sequence;
    if (state === STATE.none) return undefined;
    const position = this.#positions[number]!;
    return this.#blocks.block(position).words[(this.#blocks.within(position) >> 2) + AT.sequenceAndLinks]! & 0xffff;
  }

  /** All of them in order of their numbers. */
  *values(): Generator<NtfsFile> {
    for (let number = 0; number < this.records; number++) {
      const file = this.get(number);
      if (file) yield file;
    }
  }

  /**
   * Looks at a file without making anything of it.
   * @returns false where there is none, and `more` where {@link get} has to tell
   */
  glance(number: number, into: Glance): boolean | 'more' {
    const state = this.#state[number]!;
    if (state === STATE.none) return false;
    if ((state & (STATE.plain | NAMED | MORE)) !== (STATE.plain | NAMED)) return 'more';
    const position = this.#positions[number]!;
    const { bytes, words, doubles } = this.#blocks.block(position);
    const from = this.#blocks.within(position);
    const word = from >> 2;
    const parentHigh = words[word + AT.parentAndNameLength]!;
    into.folder = (state & FOLDER) !== 0;
    into.attributes = words[word + AT.attributes]!;
    into.parent = words[word + AT.parent]! + (parentHigh & 0xffff) * 2 ** 32;
    into.size = doubles[(word + AT.size) >> 1]!;
    into.names = bytes;
    into.nameFrom = from + AT.end * WORD + words[word + AT.rest]!;
    into.nameLength = parentHigh >>> 16;
    return true;
  }

  /** Has a file that its record tells all of. @throws RangeError outside the table */
  putPlain(number: number, { bytes, view, at }: RecordPlace, sight: Sight): void {
    this.#assertInside(number);
    const named = isAscii(view, sight);
    const nameStart = named ? sight.nameStart : sight.end;
    const nameEnd = named ? sight.nameEnd : sight.end;
    const nameLength = named ? sight.nameLength : 0;
    const rest = sight.end - sight.start - (sight.standardEnd - sight.standardStart) - (nameEnd - nameStart);
    const position = this.#blocks.room(AT.end * WORD + rest + nameLength);
    const block = this.#blocks.block(position);
    const { words } = block;
    const from = this.#blocks.within(position);
    const word = from >> 2;
    const { sequence, links, flags } = RECORD.offsets;
    words[word + AT.sequenceAndLinks] = view.getUint16(at + sequence, true) | (view.getUint16(at + links, true) << 16);
    words[word + AT.attributes] = sight.attributes;
    const stamped = sight.standardEnd > sight.standardStart;
    if (stamped) readStamps(view, sight.standardBody, words, word + AT.stamps);
    block.doubles[(word + AT.size) >> 1] = sight.size;
    words[word + AT.parent] = sight.parent;
    words[word + AT.parentAndNameLength] = Math.floor(sight.parent / 2 ** 32) | (nameLength << 16);
    words[word + AT.rest] = rest;
    let to = copyAttributes(view, sight.start, sight.standardStart, block.view, from + AT.end * WORD);
    to = copyAttributes(view, sight.standardEnd, nameStart, block.view, to);
    to = copyAttributes(view, nameEnd, sight.end, block.view, to);
    for (let i = 0; i < nameLength; i++) block.bytes[to + i] = bytes[sight.nameBody + 2 * i]!;
    this.#positions[number] = position;
    this.#state[number] =
      STATE.plain |
      (named ? NAMED : 0) |
      (sight.more ? MORE : 0) |
      (view.getUint16(at + flags, true) & FLAG.folder ? FOLDER : 0) |
      (stamped ? STAMPED : 0);
  }

  /** Has a file that takes more than its record to tell. @throws RangeError outside the table */
  putWhole(file: NtfsFile): void {
    this.#assertInside(file.number);
    this.#state[file.number] = STATE.whole;
    this.#whole.set(file.number, file);
  }

  /** The files that were put together. */
  whole(): Iterable<NtfsFile> {
    return this.#whole.values();
  }

  remove(number: number): void {
    this.#state[number] = STATE.none;
    this.#whole.delete(number);
  }

  #assertInside(number: number): void {
    if (number >= this.records) throw new RangeError(`record ${number} is outside the table`);
  }

  #read(number: number, state: number): NtfsFile {
    const position = this.#positions[number]!;
    const { bytes, words, view } = this.#blocks.block(position);
    const from = this.#blocks.within(position);
    const word = from >> 2;
    const file = new NtfsFile(number);
    file.sequence = words[word + AT.sequenceAndLinks]! & 0xffff;
    file.links = words[word + AT.sequenceAndLinks]! >>> 16;
    file.folder = (state & FOLDER) !== 0;
    file.attributes = words[word + AT.attributes]!;
    if (state & STAMPED) file.stampedAt(words, word + AT.stamps);
    const rest = from + AT.end * WORD;
    const names = rest + words[word + AT.rest]!;
    if (state & NAMED) {
      const high = words[word + AT.parentAndNameLength]!;
      const parent = words[word + AT.parent]! + (high & 0xffff) * 2 ** 32;
      file.named(parent, bytes, names, names + (high >>> 16));
    }
    this.reader.attributes(file, bytes, view, rest, names);
    return file;
  }
}

/** Whether there is a first long name, and a byte is enough for each of its letters. */
function isAscii(view: DataView, { nameBody, nameLength }: Sight): boolean {
  if (nameLength === 0) return false;
  const last = nameBody + nameLength * 2 - 2;
  let beyond = view.getUint16(last, true) & 0xff80;
  for (let at = nameBody; at < last; at += 4) beyond |= view.getUint32(at, true) & 0xff80ff80;
  return beyond === 0;
}

/** Copies attributes in bytes [from, to), whose lengths are multiples of 8. @returns the end of the copy */
function copyAttributes(source: DataView, from: number, to: number, into: DataView, start: number): number {
  let at = start;
  for (let i = from; i < to; i += 4, at += 4) into.setUint32(at, source.getUint32(i, true), true);
  return at;
}
