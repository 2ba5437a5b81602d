/**
 * The way back from a run that writes in place: before a stretch of the disk is first overwritten, what it held is kept.
 *
 * | record      | says                                                                                  |
 * |-------------|---------------------------------------------------------------------------------------|
 * | `begin`     | which run it is the way back from, and samples of the disk as it was                  |
 * | `kept`      | what a stretch held; the body is its bytes                                            |
 * | `left`      | the run is over; the body is a CRC-32 of each kept stretch as the run left it         |
 * | `rewinding` | it is being put back; the disk is neither as the run left it nor as it was            |
 * | `made`      | instead of all that: the run made a new file, and to take that away is the way back   |
 *
 * Putting all kept stretches back, in any order, gives the disk as it was, since each is kept once, before its first
 * change. They are put back only where that comes to the disk that the samples are of, and where nobody has changed it
 * since: a way back that is laid beside another disk is told from its own before anything is written.
 */
import { crc32 } from '@/core/bytes';
import { BlockDevice } from '@/core/device';
import { CoreError } from '@/core/errors';
import { z } from 'zod';
import type { LogRecord, LogStore } from './log-store';
import { diskSamplesSchema, hasSamples, SAMPLE, type DiskSamples } from './samples';

const UNDO_VERSION = 2;
const UNIT = 64 * 1024;

const runId = z.string().min(1).max(100);
const undoRecordSchema = z.discriminatedUnion('kind', [
  z.strictObject({ kind: z.literal('begin'), version: z.literal(UNDO_VERSION), run: runId, disk: diskSamplesSchema }),
  z.strictObject({
    kind: z.literal('kept'),
    /** From 0, so that none can be missing in the middle. */
    index: z.int().min(0),
    offset: z.int().min(0).multipleOf(UNIT),
    /** CRC-32 over this offset and all before it, so that none can be another than it was. */
    chain: z.int().min(0),
  }),
  z.strictObject({ kind: z.literal('left') }),
  z.strictObject({ kind: z.literal('rewinding') }),
  z.strictObject({
    kind: z.literal('made'),
    version: z.literal(UNDO_VERSION),
    run: runId,
    /** What the file is known by where it is kept. */
    file: z.string().max(200),
  }),
]);

/** A record's header. Plain data. */
export type UndoRecord = z.output<typeof undoRecordSchema>;
export type UndoStore = LogStore<UndoRecord>;

/** What a way back says of itself. */
export interface UndoState {
  readonly run: string;
  /** The disk as it was, or the file that the run made. */
  readonly of: { readonly disk: DiskSamples } | { readonly file: string };
  /** Where what was kept stood, in the order it was kept. */
  readonly kept: readonly number[];
  /** The chain over them. */
  readonly chain: number;
  /** Checksums of the kept stretches as the run left them, once it is over. */
  readonly left: Uint32Array | undefined;
  readonly rewinding: boolean;
}

async function* readRecords(
  store: Pick<UndoStore, 'entries'>,
): AsyncGenerator<{ record: UndoRecord; body: Uint8Array }> {
  let index = 0;
  for await (const { record, body } of store.entries() as AsyncIterable<LogRecord>) {
    const parsed = undoRecordSchema.safeParse(record);
    if (!parsed.success)
      throw new CoreError('journal.corrupt', { record: index, reason: 'it is no record of a way back' }, parsed.error);
    yield { record: parsed.data, body };
    index += 1;
  }
}

/** What a store says; undefined when it is new, or was cut before anything was kept. @throws CoreError `journal.corrupt` */
export async function readUndo(store: Pick<UndoStore, 'entries'>): Promise<UndoState | undefined> {
  let head: Pick<UndoState, 'run' | 'of'> | undefined;
  const kept: number[] = [];
  let chain = 0;
  let left: Uint32Array | undefined;
  let rewinding = false;
  let index = 0;
  for await (const { record, body } of readRecords(store)) {
    const corrupt = (reason: string): CoreError => new CoreError('journal.corrupt', { record: index, reason });
    if (record.kind === 'begin' || record.kind === 'made') {
      if (head) throw corrupt('a second run begins in it');
      head = { run: record.run, of: record.kind === 'begin' ? { disk: record.disk } : { file: record.file } };
    } else if (!head) throw corrupt('it does not begin with a run');
    else if (record.kind === 'kept') {
      const size = 'disk' in head.of ? head.of.disk.size : 0;
      if (left) throw corrupt('it was kept after the run was over');
      if (record.index !== kept.length) throw corrupt('one before it is missing');
      if (body.length !== Math.min(UNIT, size - record.offset)) throw corrupt('it holds more or less than it says');
      chain = chained(chain, record.offset);
      if (record.chain !== chain) throw corrupt('it does not follow from those before it');
      kept.push(record.offset);
    } else if (record.kind === 'left') {
      if (body.length !== 4 * kept.length) throw corrupt('it has not a checksum for each stretch');
      left = new Uint32Array(body.slice().buffer);
    } else rewinding = true;
    index += 1;
  }
  return head && { ...head, kept, chain, left, rewinding };
}

const word = new DataView(new ArrayBuffer(8));

function chained(chain: number, offset: number): number {
  word.setBigUint64(0, BigInt(offset), true);
  return crc32(new Uint8Array(word.buffer), chain);
}

/** Begins a way back, before the run's first write. */
export async function beginUndo(store: UndoStore, run: string, disk: DiskSamples): Promise<void> {
  await store.append({ kind: 'begin', version: UNDO_VERSION, run, disk });
  await store.flush();
}

/** Keeps that a run made a file, so that it and no other is taken away again. */
export async function noteMade(store: UndoStore, run: string, file: string): Promise<void> {
  await store.append({ kind: 'made', version: UNDO_VERSION, run, file });
  await store.flush();
}

/** A device that keeps what it overwrites. Reads and barriers pass through. */
export class UndoDevice extends BlockDevice {
  readonly #kept: Set<number>;
  #appended: number;
  #chain: number;

  private constructor(
    private readonly inner: BlockDevice,
    private readonly store: UndoStore,
    { kept, chain }: Pick<UndoState, 'kept' | 'chain'>,
  ) {
    super();
    this.#kept = new Set(kept);
    this.#appended = kept.length;
    this.#chain = chain;
  }

  /** Wraps `inner` before a way back is begun in `store`, which must be so before the first write. */
  static fresh(inner: BlockDevice, store: UndoStore): UndoDevice {
    return new UndoDevice(inner, store, { kept: [], chain: 0 });
  }

  /**
   * Wraps `inner`; stretches that `store` holds from before are not kept again.
   * @throws CoreError `journal.foreign` when the store is not the way back from this run, `run.rewinding`
   */
  static async open(inner: BlockDevice, store: UndoStore, run: string): Promise<UndoDevice> {
    const state = await readUndo(store);
    if (state?.run !== run)
      throw new CoreError('journal.foreign', { reason: 'the way back beside it is of another run' });
    if (state.rewinding) throw new CoreError('run.rewinding', {});
    return new UndoDevice(inner, store, state);
  }

  get size(): number {
    return this.inner.size;
  }

  get sectorSize(): number {
    return this.inner.sectorSize;
  }

  protected override readAt(offset: number, into: Uint8Array): Promise<void> {
    return this.inner.read(offset, into);
  }

  protected override async writeAt(offset: number, from: Uint8Array): Promise<void> {
    await this.#keep(offset, from.length);
    await this.inner.write(offset, from);
  }

  override flush(): Promise<void> {
    return this.inner.flush();
  }

  async #keep(offset: number, length: number): Promise<void> {
    const fresh: number[] = [];
    for (let at = Math.floor(offset / UNIT) * UNIT; at < offset + length; at += UNIT)
      if (!this.#kept.has(at)) fresh.push(at);
    if (fresh.length === 0) return;
    for (const offset of fresh) {
      const bytes = await this.inner.bytes(offset, Math.min(UNIT, this.size - offset));
      const chain = chained(this.#chain, offset);
      await this.store.append({ kind: 'kept', index: this.#appended, offset, chain }, bytes);
      this.#appended += 1;
      this.#chain = chain;
    }
    // Only what is durable counts as kept: after a failure the next write keeps it anew, and the first one counts.
    await this.store.flush();
    for (const at of fresh) this.#kept.add(at);
  }

  /** Notes how the run left what it changed, so that a later change by somebody else is noticed. */
  async noteLeft(): Promise<void> {
    const { kept, left } = (await readUndo(this.store))!;
    if (left) return;
    const sums = new Uint32Array(kept.length);
    for (const [i, offset] of kept.entries())
      sums[i] = crc32(await this.inner.bytes(offset, Math.min(UNIT, this.size - offset)));
    await this.store.append({ kind: 'left' }, new Uint8Array(sums.buffer));
    await this.store.flush();
  }
}

/**
 * Compares a way back with a disk, and reads only.
 * @param run the run that a journal beside the disk says is unfinished, if there is one
 * @throws CoreError `journal.foreign` when it is not of this disk, `run.changed` when somebody has changed the disk since
 */
export async function assertRewindable(
  disk: BlockDevice,
  store: UndoStore,
  state: UndoState,
  run: string | undefined,
): Promise<void> {
  const foreign = (reason: string): CoreError => new CoreError('journal.foreign', { reason });
  if (!('disk' in state.of)) throw foreign('it is of a run that made a new file');
  const samples = state.of.disk;
  if (samples.size !== disk.size) throw foreign(`it is for a disk of ${samples.size} bytes, this one has ${disk.size}`);
  if (!state.rewinding && !state.left && run !== state.run)
    throw foreign('the run it is of was not finished, and its journal is not there');
  const keptSums = await sampleKept(store, samples);
  const kept = new Set(state.kept);
  const inKept = ({ start }: { start: number }): boolean => kept.has(Math.floor(start / UNIT) * UNIT);
  const back = samples.samples.every(([offset, sum]) => (keptSums.get(offset) ?? sum) === sum);
  if (!back || !(await hasSamples(disk, samples, inKept)))
    throw foreign('putting it back would not give the disk it is of');
  if (state.left && !state.rewinding) await assertAsLeft(disk, state.kept, state.left);
}

/** Samples of the disk as it was that lie in kept stretches, by offset. */
async function sampleKept(store: UndoStore, { samples }: DiskSamples): Promise<Map<number, number>> {
  const wanted = new Map<number, number[]>();
  for (const [offset] of samples) {
    const unit = Math.floor(offset / UNIT) * UNIT;
    wanted.set(unit, [...(wanted.get(unit) ?? []), offset]);
  }
  const out = new Map<number, number>();
  for await (const { record, body } of readRecords(store)) {
    if (record.kind !== 'kept') continue;
    for (const offset of wanted.get(record.offset) ?? []) {
      const at = offset - record.offset;
      if (!out.has(offset)) out.set(offset, crc32(body.subarray(at, at + SAMPLE)));
    }
  }
  return out;
}

async function assertAsLeft(disk: BlockDevice, kept: readonly number[], left: Uint32Array): Promise<void> {
  for (const [i, offset] of kept.entries()) {
    const sum = crc32(await disk.bytes(offset, Math.min(UNIT, disk.size - offset)));
    if (sum !== left[i])
      throw new CoreError('run.changed', { reason: `the disk was changed since the run, first at byte ${offset}` });
  }
}

/**
 * Puts everything back and returns how many bytes that were. An interrupted rewind is begun anew from the start. The store
 * is removed by the caller once this returns.
 */
export async function rewindDisk(disk: BlockDevice, store: UndoStore): Promise<number> {
  await store.append({ kind: 'rewinding' });
  await store.flush();
  let bytes = 0;
  const done = new Set<number>();
  for await (const { record, body } of readRecords(store)) {
    // The first that was kept of a stretch is what it held; a failed write may have kept it once more.
    if (record.kind !== 'kept' || done.has(record.offset)) continue;
    done.add(record.offset);
    await disk.write(record.offset, body);
    bytes += body.length;
  }
  await disk.flush();
  return bytes;
}
