/** Putting the content of a new file into clusters that are free. */
import type { ContentRun, NewContent, Transaction } from './port';

/** A stretch of a volume, bytes from its start. */
interface Room {
  readonly offset: number;
  readonly length: number;
}

/** Bytes of a new file. */
export const lengthOf = (content: NewContent): number =>
  content.kind === 'bytes' ? content.bytes.length : content.size;

/**
 * Fills stretches with content in order; behind its end they are cleared, unless what is behind the end of a file is
 * nobody's business.
 */
export async function fillFree(
  tx: Transaction,
  rooms: readonly Room[],
  content: NewContent,
  behind: 'cleared' | 'left' = 'cleared',
): Promise<void> {
  const size = lengthOf(content);
  const source = content.kind === 'from' ? new RunSource(content.runs) : undefined;
  let done = 0;
  for (const { offset, length } of rooms) {
    const part = Math.max(0, Math.min(length, size - done));
    if (content.kind === 'bytes') await tx.writeFree(offset, content.bytes.subarray(done, done + part));
    else if (content.kind === 'procedural') await tx.placeFree(offset, part, content.seed, done);
    else for await (const run of source!.take(part)) await put(tx, offset + run.at, run.run, content.device);
    if (part < length && behind === 'cleared') await tx.clearFree(offset + part, length - part);
    done += part;
  }
}

type Device = Extract<NewContent, { kind: 'from' }>['device'];

async function put(tx: Transaction, to: number, run: ContentRun, device: Device): Promise<void> {
  if (run.kind === 'at') await tx.copyFrom(device, run.offset, to, run.length);
  else if (run.kind === 'zeros') await tx.clearFree(to, run.length);
  else await tx.writeFree(to, run.bytes);
}

/** Runs of content, taken bit by bit, so that what has to be decoded is in memory only as long as it is written. */
class RunSource {
  readonly #runs: AsyncIterator<ContentRun>;
  #run: ContentRun | undefined;
  #within = 0;

  constructor(runs: AsyncIterable<ContentRun>) {
    this.#runs = runs[Symbol.asyncIterator]();
  }

  /** The next so many bytes, each run with where it begins among them. */
  async *take(length: number): AsyncGenerator<{ at: number; run: ContentRun }> {
    for (let at = 0; at < length;) {
      const run = (this.#run ??= await this.#next());
      const whole = run.kind === 'bytes' ? run.bytes.length : run.length;
      const part = Math.min(length - at, whole - this.#within);
      if (part > 0) yield { at, run: partOf(run, this.#within, part) };
      at += part;
      this.#within += part;
      if (this.#within < whole) continue;
      this.#run = undefined;
      this.#within = 0;
    }
  }

  async #next(): Promise<ContentRun> {
    const next = await this.#runs.next();
    if (next.done) throw new RangeError('content ends before its size');
    return next.value;
  }
}

function partOf(run: ContentRun, from: number, length: number): ContentRun {
  if (run.kind === 'at') return { kind: 'at', offset: run.offset + from, length };
  if (run.kind === 'zeros') return { kind: 'zeros', length };
  return { kind: 'bytes', bytes: run.bytes.subarray(from, from + length) };
}

/**
 * Content in pieces of `length` bytes, the last one filled up with zeros. The piece is borrowed until the next one; a piece
 * that is all zeros by what is told of it is not read, and is undefined.
 */
export async function* piecesOf(
  content: Exclude<NewContent, { kind: 'procedural' }>,
  length: number,
): AsyncGenerator<Uint8Array | undefined> {
  const size = lengthOf(content);
  const source = content.kind === 'from' ? new RunSource(content.runs) : undefined;
  const piece = new Uint8Array(length);
  for (let done = 0; done < size; done += length) {
    piece.fill(0);
    const part = Math.min(length, size - done);
    let zeros = true;
    if (content.kind === 'bytes') piece.set(content.bytes.subarray(done, done + part));
    else
      for await (const { at, run } of source!.take(part)) {
        zeros &&= run.kind === 'zeros';
        if (run.kind === 'at') await content.device.read(run.offset, piece.subarray(at, at + run.length));
        else if (run.kind === 'bytes') piece.set(run.bytes, at);
      }
    yield zeros && content.kind === 'from' ? undefined : piece;
  }
}

/** All bytes of content that is short, however it is given. */
export async function bytesOf(content: Exclude<NewContent, { kind: 'procedural' }>): Promise<Uint8Array> {
  if (content.kind === 'bytes') return content.bytes;
  const out = new Uint8Array(content.size);
  for await (const { at, run } of new RunSource(content.runs).take(content.size)) {
    if (run.kind === 'at') await content.device.read(run.offset, out.subarray(at, at + run.length));
    else if (run.kind === 'bytes') out.set(run.bytes, at);
  }
  return out;
}
