/**
 * The way back from a run that writes in place: before a stretch of the disk is first overwritten, what it held is kept.
 *
 * | record      | says                                                                                  |
 * |-------------|---------------------------------------------------------------------------------------|
 * | `begin`     | which run it is the way back from, and samples of the disks as they were              |
 * | `kept`      | what a stretch of a disk held; the body is its bytes                                  |
 * | `left`      | the run is over; the body is a CRC-32 of each kept stretch as the run left it         |
 * | `rewinding` | it is being put back; the disk is neither as the run left it nor as it was            |
 * | `made`      | instead of all that: the run made a new file, and to take that away is the way back   |
 *
 * A run that takes something away from volumes of other disks writes those too, and there is one way back for all of them:
 * what was moved is nowhere twice for long, and half a way back would lose it.
 *
 * Putting all kept stretches back, in any order, gives the disks as they were, since each is kept once, before its first
 * change. They are put back only where that comes to the disk that the samples are of, and where nobody has changed it
 * since: a way back that is laid beside another disk is told from its own before anything is written.
 */
import { crc32 } from '@/core/bytes';
import { CoreError } from '@/core/errors';
import { HERE, type DiskId } from '@/core/place';
import * as z from 'zod';
import type { LogRecord, LogStore } from './log-store';
import { diskSamplesSchema, type DiskSamples, type OtherSamples } from './samples';

const UNDO_VERSION = 2;
/** Bytes of a stretch that is kept at a time. */
export const UNIT = 64 * 1024;

const MOST_OTHERS = 100;

const diskId = z.string().min(1).max(200);
const runId = z.string().min(1).max(100);
const undoRecordSchema = z.discriminatedUnion('kind', [
  z.strictObject({
    kind: z.literal('begin'),
    version: z.literal(UNDO_VERSION),
    run: runId,
    disk: diskSamplesSchema,
    /** Other disks that the run writes too. */
    others: z
      .array(z.strictObject({ disk: diskId, samples: diskSamplesSchema }))
      .max(MOST_OTHERS)
      .optional(),
  }),
  z.strictObject({
    kind: z.literal('kept'),
    /** From 0, so that none can be missing in the middle. */
    index: z.int().min(0),
    offset: z.int().min(0).multipleOf(UNIT),
    /** The disk it is of, where that is another than the one that is divided. */
    disk: diskId.optional(),
    /** CRC-32 over this place and all before it, so that none can be another than it was. */
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

/** Where a stretch stood that was kept. */
export interface KeptPlace {
  readonly disk: DiskId;
  readonly offset: number;
}

/** A place as a key of a set. */
export const keyOf = ({ disk, offset }: KeptPlace): string => `${offset} ${disk}`;

/** What a way back says of itself. */
export interface UndoState {
  readonly run: string;
  /** The disks as they were, or the file that the run made. */
  readonly of: { readonly disk: DiskSamples; readonly others: readonly OtherSamples[] } | { readonly file: string };
  /** Where what was kept stood, in the order it was kept. */
  readonly kept: readonly KeptPlace[];
  /** The chain over them. */
  readonly chain: number;
  /** Checksums of the kept stretches as the run left them, once it is over. */
  readonly left: Uint32Array | undefined;
  readonly rewinding: boolean;
}

/** The records of a way back, each of a known shape. @throws CoreError `journal.corrupt` */
export async function* readRecords(
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
  const kept: KeptPlace[] = [];
  let chain = 0;
  let left: Uint32Array | undefined;
  let rewinding = false;
  let index = 0;
  for await (const { record, body } of readRecords(store)) {
    const corrupt = (reason: string): CoreError => new CoreError('journal.corrupt', { record: index, reason });
    if (record.kind === 'begin' || record.kind === 'made') {
      if (head) throw corrupt('a second run begins in it');
      const of = record.kind === 'begin' ? { disk: record.disk, others: record.others ?? [] } : { file: record.file };
      head = { run: record.run, of };
    } else if (!head) throw corrupt('it does not begin with a run');
    else if (record.kind === 'kept') {
      const place = { disk: record.disk ?? HERE, offset: record.offset };
      const size = samplesOf(head.of, place.disk)?.size ?? 0;
      if (left) throw corrupt('it was kept after the run was over');
      if (record.index !== kept.length) throw corrupt('one before it is missing');
      if (body.length !== Math.min(UNIT, size - record.offset)) throw corrupt('it holds more or less than it says');
      chain = chained(chain, place);
      if (record.chain !== chain) throw corrupt('it does not follow from those before it');
      kept.push(place);
    } else if (record.kind === 'left') {
      if (body.length !== 4 * kept.length) throw corrupt('it has not a checksum for each stretch');
      left = new Uint32Array(body.slice().buffer);
    } else rewinding = true;
    index += 1;
  }
  return head && { ...head, kept, chain, left, rewinding };
}

function samplesOf(of: UndoState['of'], disk: DiskId): DiskSamples | undefined {
  if (!('disk' in of)) return undefined;
  return disk === HERE ? of.disk : of.others.find((o) => o.disk === disk)?.samples;
}

const word = new DataView(new ArrayBuffer(8));

/** The chain with another place. */
export function chained(chain: number, { disk, offset }: KeptPlace): number {
  word.setBigUint64(0, BigInt(offset), true);
  const next = crc32(new Uint8Array(word.buffer), chain);
  return disk === HERE ? next : crc32(new TextEncoder().encode(disk), next);
}

/** Begins a way back, before the run's first write. */
export async function beginUndo(
  store: UndoStore,
  run: string,
  disk: DiskSamples,
  others: readonly OtherSamples[] = [],
): Promise<void> {
  const also = others.length > 0 ? { others: [...others] } : {};
  await store.append({ kind: 'begin', version: UNDO_VERSION, run, disk, ...also });
  await store.flush();
}

/** Keeps that a run made a file, so that it and no other is taken away again. */
export async function noteMade(store: UndoStore, run: string, file: string): Promise<void> {
  await store.append({ kind: 'made', version: UNDO_VERSION, run, file });
  await store.flush();
}
