/**
 * The journal of a run: a log of records, each a small header and maybe a body of bytes.
 *
 * | record     | says                                                     | on opening                              |
 * |------------|----------------------------------------------------------|-----------------------------------------|
 * | `begin`    | the plan, and which disk it is for                       | nothing was written before it           |
 * | `manifest` | files of a volume before the run, in parts               | used by the proof                       |
 * | `redo`     | writes of a step, in parts; the body holds their bytes   | void without its `commit`               |
 * | `commit`   | all redo parts of the step are in the log                | the writes are applied, again if need be|
 * | `carry`    | what a move carries, in parts                            | void without a `carried`                |
 * | `carried`  | so many pieces of a move are where they shall be         | the move goes on with the next piece    |
 * | `parked`   | a checksum of the start of what was carried elsewhere    | compared before it is brought back      |
| `done`     | the step is finished                                     | the next step begins                    |
 * | `finished` | the certificate                                          | nothing is left to do                   |
 *
 * The crash argument, for a step that writes. Direct copies go to bytes that are free before and after, so a cut during
 * them leaves the old state. Then: flush the disk; append redo parts and commit; flush the journal; apply; flush the
 * disk; append done; flush the journal. A cut before the commit is durable leaves the old state, and the step is begun
 * anew from it: it chooses the same targets, since it depends on the disk alone. A cut after that leaves the commit,
 * and applying it again, whole, gives the new state whatever had arrived. `done` is durable before the next step's
 * first write, so a redo is never applied over a later step.
 *
 * A move writes over its own old place and so can't begin anew from the old state: `move-volume.ts` says why a cut in it
 * loses nothing.
 *
 * A volume that is set aside on another disk is copied there whole before anything of this disk is changed, and the
 * table that no longer names it is committed only when the other disk is flushed; what was its place is written over by
 * later steps only. It is brought back to a place that is free, so that a cut repeats a piece from a source that stays.
 *
 * Parts of manifests, lists of a move and redo records count from 0; a part 0 voids the parts of the same thing before it, which an
 * interrupted attempt left behind.
 */
import type { Plan } from '@/core/plan';
import type { Certificate, ManifestEntry } from '@/core/proof';

/** The disk a journal belongs to. */
export interface DiskIdentity {
  readonly size: number;
  readonly sectorSize: number;
}

/** A record's header. Plain data. */
export type JournalRecord =
  | {
      readonly kind: 'begin';
      readonly version: 1;
      readonly plan: Plan;
      readonly disk: DiskIdentity;
      readonly started: string;
      readonly override: boolean;
    }
  | {
      readonly kind: 'manifest';
      readonly number: number;
      readonly part: number;
      readonly entries: readonly ManifestEntry[];
    }
  | {
      readonly kind: 'redo';
      readonly step: number;
      readonly part: number;
      readonly extents: readonly (readonly [offset: number, length: number])[];
    }
  | { readonly kind: 'commit'; readonly step: number; readonly parts: number }
  | {
      readonly kind: 'carry';
      readonly step: number;
      readonly part: number;
      readonly ranges: readonly (readonly [start: number, end: number])[];
    }
  | { readonly kind: 'carried'; readonly step: number; readonly pieces: number }
  | { readonly kind: 'parked'; readonly step: number; readonly seal: number }
  | { readonly kind: 'done'; readonly step: number }
  | { readonly kind: 'finished'; readonly certificate: Certificate };

/** A record as it is read back. */
export interface JournalEntry {
  readonly record: JournalRecord;
  readonly body: Uint8Array;
}

/** Where a journal is kept: the port for a file, a browser's storage, or memory. */
export interface JournalStore {
  /** Adds a record at the end; durable after {@link JournalStore.flush}. @throws CoreError `storage.full` */
  append(record: JournalRecord, body?: Uint8Array): Promise<void>;
  flush(): Promise<void>;
  /**
   * The records from the first on. A torn tail is left out and cut off.
   * @throws CoreError `journal.corrupt` when a record in the middle is damaged
   */
  entries(): AsyncIterable<JournalEntry>;
  clear(): Promise<void>;
}
