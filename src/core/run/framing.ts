/**
 * Records of a log as bytes, for stores that are a file: a header as plain data and maybe a body.
 *
 * | offset | width | field                                                     |
 * |--------|-------|-----------------------------------------------------------|
 * | 0      | 4     | magic `ULJ1`                                              |
 * | 4      | 4     | sequence number, from 0                                   |
 * | 8      | 4     | header length                                             |
 * | 12     | 4     | body length                                               |
 * | 16     | 4     | CRC-32 of everything from offset 4 on, this field as zero |
 * | 20     |       | header (JSON, UTF-8), then body                           |
 *
 * A frame that does not check ends the log if nothing valid follows: it was torn when the power went. If a frame of a later
 * sequence number follows, the middle of the log is damaged, which is corruption and not a torn tail. So are bytes that no
 * log begins with: a first frame that is torn begins with the magic, or with zeros where its bytes never arrived.
 */
import { crc32, struct, text, u32 } from '@/core/bytes';
import { CoreError } from '@/core/errors';

const FRAME = struct('journal frame', 20, {
  magic: text(0, 4),
  sequence: u32(4),
  headerLength: u32(8),
  bodyLength: u32(12),
  checksum: u32(16),
});

const MAGIC = 'ULJ1';
const MAX_PART = 256 * 1024 * 1024;

/** A record as a frame. The caller owns the result. */
export function frameRecord(sequence: number, record: unknown, body: Uint8Array): Uint8Array {
  const header = new TextEncoder().encode(JSON.stringify(record));
  const frame = new Uint8Array(FRAME.size + header.length + body.length);
  FRAME.encode({ magic: MAGIC, sequence, headerLength: header.length, bodyLength: body.length, checksum: 0 }, frame);
  frame.set(header, FRAME.size);
  frame.set(body, FRAME.size + header.length);
  FRAME.encode({ checksum: crc32(frame.subarray(4)) }, frame);
  return frame;
}

/** Reads `length` bytes at `offset` of a log, or fewer at its end. */
export type LogReader = (offset: number, length: number) => Promise<Uint8Array>;

/** A record read back, and the byte offset its frame ends at. */
export interface LogEntry<T> {
  readonly record: T;
  readonly body: Uint8Array;
  readonly end: number;
}

/** The records of a log, whose headers are trusted to be of type T once they check. @throws CoreError `journal.corrupt` */
export async function* readFrames<T>(read: LogReader, size: number): AsyncGenerator<LogEntry<T>> {
  let offset = 0;
  for (let sequence = 0; offset < size; sequence++) {
    const frame = await readFrame<T>(read, offset, size, sequence);
    if (!frame) {
      if (await validFollows(read, offset, size, sequence)) {
        throw new CoreError('journal.corrupt', {
          record: sequence,
          reason: 'its checksum is wrong and good records follow',
        });
      }
      if (offset === 0 && !(await canBeTorn(read, size)))
        throw new CoreError('journal.corrupt', { record: 0, reason: 'it is no log of a run' });
      return;
    }
    offset = frame.end;
    yield frame;
  }
}

async function readFrame<T>(
  read: LogReader,
  offset: number,
  size: number,
  sequence: number,
): Promise<LogEntry<T> | undefined> {
  if (offset + FRAME.size > size) return undefined;
  const head = FRAME.decode(await read(offset, FRAME.size));
  const length = FRAME.size + head.headerLength + head.bodyLength;
  const sane =
    head.magic === MAGIC && head.sequence === sequence && head.headerLength <= MAX_PART && head.bodyLength <= MAX_PART;
  if (!sane || offset + length > size) return undefined;
  const frame = new Uint8Array(await read(offset, length));
  FRAME.encode({ checksum: 0 }, frame);
  if (crc32(frame.subarray(4)) !== head.checksum) return undefined;
  const header = new TextDecoder().decode(frame.subarray(FRAME.size, FRAME.size + head.headerLength));
  const body = frame.subarray(FRAME.size + head.headerLength);
  try {
    return { record: JSON.parse(header) as T, body, end: offset + length };
  } catch (cause) {
    throw new CoreError('journal.corrupt', { record: sequence, reason: 'its header can’t be read' }, cause);
  }
}

/** Whether the bytes of a log without one good frame are those of a first frame that did not arrive whole. */
async function canBeTorn(read: LogReader, size: number): Promise<boolean> {
  const head = await read(0, Math.min(size, MAGIC.length));
  return [...head].every((byte, i) => byte === MAGIC.charCodeAt(i)) || head.every((byte) => byte === 0);
}

const SCAN_CHUNK = 1024 * 1024;

/** Whether a valid frame with a later sequence number lies anywhere behind a bad one. */
async function validFollows(read: LogReader, offset: number, size: number, sequence: number): Promise<boolean> {
  for (let base = offset + 1; base < size; base += SCAN_CHUNK) {
    const bytes = await read(base, Math.min(SCAN_CHUNK + FRAME.size, size - base));
    for (let i = 0; i + FRAME.size <= bytes.length && i < SCAN_CHUNK; i++) {
      if (bytes[i] !== 0x55 || bytes[i + 1] !== 0x4c || bytes[i + 2] !== 0x4a || bytes[i + 3] !== 0x31) continue;
      const { sequence: found } = FRAME.decode(bytes, i);
      if (found > sequence && (await readFrame(read, base + i, size, found))) return true;
    }
  }
  return false;
}
