/**
 * The browser's storage. The names of the database, its tables and their keys must not change without a new version
 * here: what people have stored is found by them.
 */
import type { ExtentEdit } from '@/core/device';
import type { ImageFingerprint } from '@/core/image';
import type { Recipe } from '@/core/practice';
import type { JournalRecord, LogLine } from '@/core/run';
import Dexie, { type EntityTable, type Table } from 'dexie';

/** A disk on the bench. */
export interface StoredDisk {
  readonly id: string;
  readonly name: string;
  readonly order: number;
  readonly guarded?: boolean;
  readonly source:
    | { readonly kind: 'practice'; readonly recipe: Recipe }
    | {
        readonly kind: 'image';
        readonly fingerprint: ImageFingerprint;
        /** Of the parts in their order, where it is in parts. */
        readonly handle?: FileSystemFileHandle | readonly FileSystemFileHandle[];
        readonly inside?: string;
      };
}

interface StoredPage {
  readonly diskId: string;
  readonly index: number;
  readonly bytes: Uint8Array;
}

interface StoredEdits {
  readonly seq?: number;
  readonly diskId: string;
  readonly edits: readonly ExtentEdit[];
}

interface StoredRecord {
  readonly seq?: number;
  readonly diskId: string;
  readonly record: JournalRecord;
  readonly body: Uint8Array;
}

/** A run that can be taken back. Plain data. */
export interface KeptRun {
  readonly run: string;
  /** The disk that it was a run on; it may have written others too. */
  readonly on: string;
  /** When it began, in ISO 8601. */
  readonly at: string;
  readonly steps: number;
}

/** A layer of a disk; the lowest may have no row. Its pages and edits stand under its key. */
export interface StoredLayer {
  readonly diskId: string;
  /** Those above have greater numbers. */
  readonly layer: number;
  readonly key: string;
  /** What it has the changes of; none where it has those of several that can't be taken back any more. */
  readonly run?: KeptRun;
}

/** A job: the planned layout of a disk with its undo history, kept as the state layer's own plain data. */
export interface StoredJob {
  readonly diskId: string;
  readonly updated: number;
  readonly state: unknown;
}

export class Database extends Dexie {
  disks!: EntityTable<StoredDisk, 'id'>;
  jobs!: EntityTable<StoredJob, 'diskId'>;
  overlayPages!: Table<StoredPage, [string, number]>;
  overlayEdits!: Table<StoredEdits, number>;
  journal!: Table<StoredRecord, number>;
  logs!: Table<{ readonly seq?: number; readonly diskId: string; readonly line: LogLine }, number>;
  health!: EntityTable<{ diskId: string; state: unknown }, 'diskId'>;
  layers!: Table<StoredLayer, [string, number]>;
  settings!: EntityTable<{ key: string; value: unknown }, 'key'>;

  constructor() {
    super('ullager', { chromeTransactionDurability: 'strict' });
    this.version(1).stores({
      disks: 'id, order',
      jobs: 'diskId',
      overlayPages: '[diskId+index], diskId',
      overlayEdits: '++seq, diskId',
      journal: '++seq, diskId',
      settings: 'key',
    });
    this.version(2).stores({ health: 'diskId' });
    this.version(3).stores({ logs: '++seq, diskId' });
    this.version(4).stores({ layers: '[diskId+layer]' });
  }
}
