/**
 * The journal of a run: a log of records, each a small header and maybe a body of bytes.
 *
 * | record      | says                                                    | on opening                              |
 * |-------------|---------------------------------------------------------|-----------------------------------------|
 * | `copying`   | the original is being copied to where the run will work | nothing else was done; begin again      |
 * | `begin`     | the plan, and samples of the disk it is for             | nothing was written before it           |
 * | `manifest`  | files of a volume before the run, in parts              | used by the proof                       |
 * | `redo`      | writes of a step, in parts; the body holds their bytes  | void without its `commit`               |
 * | `commit`    | all redo parts of the step are in the log               | the writes are applied, again if need be|
 * | `carry`     | what a step carries, in parts                           | void without a `carried`                |
 * | `carried`   | so many pieces of it are where they shall be; sealed    | it goes on with the next piece          |
 * |             | where that is on another disk                           |                                         |
 * | `lost`      | so many bytes of a piece of a copy can’t be read        | counted once the step is done            |
 * | `wiping`    | the key of the random bytes of a wipe                   | the same bytes are written again        |
 * | `wiped`     | so many bytes of a pass are written over, and durable   | it goes on behind them                  |
 * | `unwritten` | a stretch that can’t be written over                    | told once the step is done              |
 * | `compared`  | what was read back of a wipe, and how much differed     | told once the step is done              |
 * | `done`      | the step is finished                                    | the next step begins                    |
 * | `finished`  | the certificate                                         | nothing is left to do                   |
 * | `rewinding` | everything is being put back as it was                  | only that can be gone on with           |
 *
 * The crash argument, for a step that writes. Direct copies go to bytes that are free before and after, so a cut during
 * them leaves the old state. Then: flush the disk; append redo parts and commit; flush the journal; apply; flush the
 * disk; append done; flush the journal. A cut before the commit is durable leaves the old state, and the step is begun
 * anew from it: it chooses the same targets, since it depends on the disk alone. A cut after that leaves the commit,
 * and applying it again, whole, gives the new state whatever had arrived. `done` is durable before the next step's
 * first write, so a redo is never applied over a later step.
 *
 * A carried volume may be written over its own old place and so can't begin anew from the old state: `carry-pieces.ts`
 * says why a cut in it loses nothing.
 *
 * A volume that is set aside on another disk is copied there whole before anything of this disk is changed; each piece is
 * sealed as it arrives, and the table that no longer names the volume is committed only when the other disk is flushed.
 * What was its place is written over by later steps only. It is brought back to a place that is free, after each piece was
 * compared with its seal, so that a cut repeats a piece from a source that stays. The other disk is cleared in a step of
 * its own, which a cut repeats.
 *
 * A volume that is made and filled in lent room is written there by transactions like any other. It is brought by copying,
 * so that a cut repeats from what stays, and compared where it came to before the room is cleared.
 *
 * A wipe writes over what belongs to nobody, straight to the disk. Nothing of it has to be redone: what a cut leaves of it
 * is written over again, with the same bytes.
 *
 * Parts of manifests, lists of what is carried and redo records count from 0; a part 0 voids the parts of the same thing
 * before it, which an interrupted attempt left behind.
 *
 * A journal may have been written by anybody. Whoever reads one sees records of these shapes and no others
 * (`journal-state.ts` reads them in order); it says what to do on the disks that a person named, and never names one.
 */
import { planSchema } from '@/core/plan';
import type { Certificate, ManifestEntry } from '@/core/proof';
import * as z from 'zod';
import type { LogStore } from './log-store';
import { diskSamplesSchema } from './samples';

/** Journals of another version are not acted on. */
export const JOURNAL_VERSION = 3;

const count = z.int().min(0);
const runId = z.string().min(1).max(100);

const manifestEntrySchema: z.ZodType<ManifestEntry> = z.strictObject({
  path: z.string(),
  kind: z.enum(['file', 'folder', 'link', 'special']),
  stream: z.string().optional(),
  size: count,
  times: z.strictObject({
    created: z.string().optional(),
    modified: z.string().optional(),
    accessed: z.string().optional(),
  }),
  attributes: z.array(z.string()),
  beside: z.string().optional(),
  sha256: z.string().optional(),
  method: z.enum(['bytes', 'source', 'part']).optional(),
  lost: count.optional(),
});

const recordSchemas = [
  z.strictObject({
    kind: z.literal('copying'),
    version: z.literal(JOURNAL_VERSION),
    run: runId,
    /** What the copy is known by where it is kept. */
    copy: z.string().max(200),
  }),
  z.strictObject({
    kind: z.literal('begin'),
    version: z.literal(JOURNAL_VERSION),
    run: runId,
    plan: planSchema,
    disk: diskSamplesSchema,
    /** Samples of the disks that are copied from. */
    others: z.array(z.strictObject({ disk: z.string().max(200), samples: diskSamplesSchema })).max(100),
    started: z.string().max(40),
    override: z.boolean(),
    /** Whether a way back is kept beside the disk. */
    undo: z.boolean(),
    /** What the copy that is worked on is known by where it is kept, where it is not the disk itself. */
    copy: z.string().max(200).optional(),
  }),
  z.strictObject({
    kind: z.literal('manifest'),
    number: z.int().min(1),
    part: count,
    entries: z.array(manifestEntrySchema),
  }),
  z.strictObject({
    kind: z.literal('redo'),
    step: count,
    part: count,
    extents: z.array(z.tuple([count, z.int().min(1)])),
  }),
  z.strictObject({ kind: z.literal('commit'), step: count, parts: count }),
  z.strictObject({ kind: z.literal('carry'), step: count, part: count, ranges: z.array(z.tuple([count, count])) }),
  z.strictObject({
    kind: z.literal('carried'),
    step: count,
    pieces: count,
    /** Of the last of those pieces, where it is on another disk. */
    seal: z.string().max(200).optional(),
  }),
  z.strictObject({ kind: z.literal('lost'), step: count, piece: count, bytes: count }),
  z.strictObject({ kind: z.literal('wiping'), step: count, key: z.string().regex(/^[0-9a-f]{64}$/) }),
  z.strictObject({ kind: z.literal('wiped'), step: count, pass: count, done: count }),
  z.strictObject({ kind: z.literal('unwritten'), step: count, start: count, length: count }),
  z.strictObject({ kind: z.literal('compared'), step: count, total: count, bytes: count, differing: count }),
  z.strictObject({ kind: z.literal('done'), step: count }),
  z.strictObject({ kind: z.literal('finished'), certificate: z.custom<Certificate>(isCertificate) }),
  z.strictObject({ kind: z.literal('rewinding') }),
] as const;

/** Shown to people and not acted on; that much of it has to be there. */
function isCertificate(value: unknown): value is Certificate {
  const certificate = value as Certificate | null;
  return (
    typeof certificate === 'object' &&
    typeof certificate?.proven === 'boolean' &&
    Array.isArray(certificate.volumes) &&
    Array.isArray(certificate.steps)
  );
}

/** A record of a journal as it is read back. */
export const journalRecordSchema = z.discriminatedUnion('kind', recordSchemas);

/** A record's header. Plain data. */
export type JournalRecord = z.output<typeof journalRecordSchema>;

/** Where a journal is kept: the port for a file, a browser's storage, or memory. */
export type JournalStore = LogStore<JournalRecord>;
