/**
 * Writing over what nobody wants. What was there is not kept, so that there is nothing to redo: after a cut it goes on from
 * the last stretch that the journal knows is durable, with the same bytes.
 */
import { sameBytes } from '@/core/bytes';
import { isCoreError } from '@/core/errors';
import { joinRanges, type ByteRange } from '@/core/fs';
import { fillPattern, isCompared, newKey, PATTERN_CHUNK } from '@/core/health';
import type { WipeStep } from '@/core/plan';
import { readJournal } from '../journal-state';
import type { StepContext, StepRunner } from './step-context';

/** Bytes after which what was written is made durable and noted, at least; of a large disk so many times in all. */
const NOTED_EVERY = 64 * PATTERN_CHUNK;
const NOTED_TIMES = 256;
/** Zeros are not made, and are written in longer pieces. */
const ZEROS_CHUNK = 64 * PATTERN_CHUNK;
/** Sectors that fail one after the other on a disk that is worn; on one that is gone all do. */
const MOST_FAILED_IN_ROW = 4096;

/** Where a wipe is, as its journal says. */
interface Progress {
  readonly key: Uint8Array;
  readonly pass: number;
  readonly done: number;
}

const hex = (bytes: Uint8Array): string => Array.from(bytes, (b) => b.toString(16).padStart(2, '0')).join('');
const unhex = (text: string): Uint8Array => Uint8Array.from(text.match(/../g) ?? [], (pair) => parseInt(pair, 16));

export const wipe: StepRunner<WipeStep> = async (step, context) => {
  const ranges = step.what === 'free' ? await freeRanges(step, context) : joinRanges(step.places.map(rangeOf));
  const begun = await progressOf(context);
  const total = ranges.reduce((sum, r) => sum + r.end - r.start, 0);
  for (let pass = begun.pass; pass < step.passes.length; pass++) {
    const from = pass === begun.pass ? begun.done : 0;
    await writePass(step, ranges, { ...begun, pass, done: from }, context, (done) =>
      context.report(pass * total + done),
    );
  }
  await comparePass(step, ranges, begun.key, context, (done) => context.report(step.passes.length * total + done));
  return context.markDone();
};

const rangeOf = ({ start, length }: { start: number; length: number }): ByteRange => ({ start, end: start + length });

/** Where nothing of a volume's lies, in bytes of the disk. */
async function freeRanges({ places }: WipeStep, context: StepContext): Promise<ByteRange[]> {
  const [at] = places;
  const volume = await context.open(context.window(at!));
  const end = Math.min(volume.info.size, at!.length);
  const out: ByteRange[] = [];
  let from = 0;
  for (const used of [...(await volume.allocation()), { start: end, end }]) {
    if (used.start > from) out.push({ start: at!.start + from, end: at!.start + Math.min(used.start, end) });
    from = Math.max(from, used.end);
  }
  return out;
}

/** Goes on where the journal says, or begins with a key of its own. */
async function progressOf({ ports: { journal }, index }: StepContext): Promise<Progress> {
  let progress: Progress | undefined;
  for await (const { record } of readJournal(journal)) {
    if (record.kind === 'wiping' && record.step === index) progress = { key: unhex(record.key), pass: 0, done: 0 };
    if (record.kind === 'wiped' && record.step === index && progress)
      progress = { ...progress, pass: record.pass, done: record.done };
  }
  if (progress) return progress;
  const key = newKey();
  await journal.append({ kind: 'wiping', step: index, key: hex(key) });
  await journal.flush();
  return { key, pass: 0, done: 0 };
}

/** A part of what is wiped, with the multiple that it begins behind, and how many bytes come before it. */
interface Part {
  readonly at: number;
  readonly within: number;
  readonly length: number;
  readonly before: number;
}

/** Parts of ranges that do not cross a multiple of `chunk`. */
function* partsOf(ranges: readonly ByteRange[], chunk = PATTERN_CHUNK): Generator<Part> {
  let before = 0;
  for (const { start, end } of ranges)
    for (let at = start; at < end;) {
      const from = Math.floor(at / chunk) * chunk;
      const length = Math.min(from + chunk, end) - at;
      yield { at: from, within: at - from, length, before };
      before += length;
      at += length;
    }
}

async function writePass(
  { passes }: WipeStep,
  ranges: readonly ByteRange[],
  { key, pass, done }: Progress,
  context: StepContext,
  report: (done: number) => void,
): Promise<void> {
  const { disk, journal, signal } = context.ports;
  const pattern = passes[pass]!;
  const buffer = new Uint8Array(PATTERN_CHUNK);
  const total = ranges.reduce((sum, r) => sum + r.end - r.start, 0);
  const often = Math.max(NOTED_EVERY, total / NOTED_TIMES);
  let noted = done;
  const note = async (upTo: number): Promise<void> => {
    await disk.flush();
    await journal.append({ kind: 'wiped', step: context.index, pass, done: upTo });
    await journal.flush();
    noted = upTo;
  };
  const attempts = new Attempts(context);
  let end = done;
  for (const { at, within, length, before } of partsOf(ranges, pattern === 'zeros' ? ZEROS_CHUNK : PATTERN_CHUNK)) {
    if (before + length <= done) continue;
    signal?.throwIfAborted();
    if (pattern === 'zeros') await attempts.write(at + within, length, (o, n) => disk.discard(o, n));
    else {
      fillPattern(pattern, key, pass, at, buffer);
      await attempts.write(at + within, length, (o, n) => disk.write(o, buffer.subarray(o - at, o - at + n)));
    }
    end = before + length;
    report(end);
    if (end - noted >= often) await note(end);
  }
  await note(end);
}

type Put = (offset: number, length: number) => Promise<void>;

/** Writes stretches; what fails is written sector by sector, and what can’t be written is told. */
class Attempts {
  #failedInRow = 0;

  constructor(private readonly context: StepContext) {}

  /** @throws CoreError `device.write-failed` when so much fails in a row that the disk is gone, not worn */
  async write(offset: number, length: number, put: Put): Promise<void> {
    const { disk, journal } = this.context.ports;
    try {
      await put(offset, length);
      this.#failedInRow = 0;
    } catch (error) {
      if (!isCoreError(error, 'device.write-failed')) throw error;
      if (length > disk.sectorSize) {
        for (let at = offset; at < offset + length; at += disk.sectorSize)
          await this.write(at, Math.min(disk.sectorSize, offset + length - at), put);
        return;
      }
      this.#failedInRow += 1;
      if (this.#failedInRow > MOST_FAILED_IN_ROW) throw error;
      await journal.append({ kind: 'unwritten', step: this.context.index, start: offset, length });
    }
  }
}

/** Reads back what the last pass wrote, all of it or a share, and notes how much there was and how much differed. */
async function comparePass(
  { passes, compare }: WipeStep,
  ranges: readonly ByteRange[],
  key: Uint8Array,
  context: StepContext,
  report: (done: number) => void,
): Promise<void> {
  const { disk, journal, signal } = context.ports;
  const pass = passes.length - 1;
  const pattern = passes[pass]!;
  const [wanted, found] = [new Uint8Array(PATTERN_CHUNK), new Uint8Array(PATTERN_CHUNK)];
  let [total, bytes, differing] = [0, 0, 0];
  for (const { at, within, length, before } of partsOf(ranges)) {
    total += length;
    if (compare === 0 || !isCompared(at, compare)) continue;
    signal?.throwIfAborted();
    bytes += length;
    // What the device itself says reads as zeros is not read to be found so.
    const empty = pattern === 'zeros' && disk.occupied(at + within, at + within + length).next().done;
    if (empty) continue;
    fillPattern(pattern, key, pass, at, wanted);
    const part = found.subarray(0, length);
    try {
      await disk.read(at + within, part);
      differing += differingIn(part, wanted.subarray(within, within + length));
    } catch (error) {
      if (!isCoreError(error, 'device.read-failed')) throw error;
      differing += length;
    }
    report(before + length);
  }
  await journal.append({ kind: 'compared', step: context.index, total, bytes, differing });
}

/** Bytes that are not the same. */
function differingIn(a: Uint8Array, b: Uint8Array): number {
  if (sameBytes(a, b)) return 0;
  return a.reduce((sum, byte, i) => sum + (byte === b[i] ? 0 : 1), 0);
}
