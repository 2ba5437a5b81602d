/**
 * Writing over what nobody wants. What was there is not kept, so that there is nothing to redo: after a cut it goes on from
 * the last stretch that the journal knows is durable, with the same bytes.
 */
import type { BlockDevice } from '@/core/device';
import { isCoreError } from '@/core/errors';
import { joinRanges, type ByteRange } from '@/core/fs';
import { fillPattern, isCompared, newKey, PATTERN_CHUNK } from '@/core/health';
import type { WipeStep } from '@/core/plan';
import { readJournal } from '../journal-state';
import type { StepContext, StepRunner } from './step-context';

/** Bytes after which what was written is made durable and noted. */
const NOTED_EVERY = 64 * PATTERN_CHUNK;

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

/** Parts of ranges that do not cross a multiple of {@link PATTERN_CHUNK}, with how many bytes come before each. */
function* partsOf(
  ranges: readonly ByteRange[],
): Generator<{ at: number; within: number; length: number; before: number }> {
  let before = 0;
  for (const { start, end } of ranges)
    for (let at = start; at < end;) {
      const chunk = Math.floor(at / PATTERN_CHUNK) * PATTERN_CHUNK;
      const length = Math.min(chunk + PATTERN_CHUNK, end) - at;
      yield { at: chunk, within: at - chunk, length, before };
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
  let noted = done;
  const note = async (upTo: number): Promise<void> => {
    await disk.flush();
    await journal.append({ kind: 'wiped', step: context.index, pass, done: upTo });
    await journal.flush();
    noted = upTo;
  };
  let end = done;
  for (const { at, within, length, before } of partsOf(ranges)) {
    if (before + length <= done) continue;
    signal?.throwIfAborted();
    if (pattern === 'zeros') await attempt(disk, at + within, length, context, (o, n) => disk.discard(o, n));
    else {
      fillPattern(pattern, key, pass, at, buffer);
      await attempt(disk, at + within, length, context, (o, n) => disk.write(o, buffer.subarray(o - at, o - at + n)));
    }
    end = before + length;
    report(end);
    if (end - noted >= NOTED_EVERY) await note(end);
  }
  await note(end);
}

/** Writes a stretch; what fails is written sector by sector, and what can’t be written is told. */
async function attempt(
  disk: BlockDevice,
  offset: number,
  length: number,
  context: StepContext,
  put: (offset: number, length: number) => Promise<void>,
): Promise<void> {
  try {
    await put(offset, length);
  } catch (error) {
    if (!isCoreError(error, 'device.write-failed')) throw error;
    if (length <= disk.sectorSize) {
      await context.ports.journal.append({ kind: 'unwritten', step: context.index, start: offset, length });
      return;
    }
    for (let at = offset; at < offset + length; at += disk.sectorSize)
      await attempt(disk, at, Math.min(disk.sectorSize, offset + length - at), context, put);
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
  const [wanted, found] = [new Uint8Array(PATTERN_CHUNK), new Uint8Array(PATTERN_CHUNK)];
  let [total, bytes, differing] = [0, 0, 0];
  for (const { at, within, length, before } of partsOf(ranges)) {
    total += length;
    if (compare === 0 || !isCompared(at, compare)) continue;
    signal?.throwIfAborted();
    fillPattern(passes[pass]!, key, pass, at, wanted);
    const part = found.subarray(0, length);
    bytes += length;
    try {
      await disk.read(at + within, part);
      for (let i = 0; i < length; i++) if (part[i] !== wanted[within + i]) differing += 1;
    } catch (error) {
      if (!isCoreError(error, 'device.read-failed')) throw error;
      differing += length;
    }
    report(before + length);
  }
  await journal.append({ kind: 'compared', step: context.index, total, bytes, differing });
}
