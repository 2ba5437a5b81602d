/** What crosses the worker seam: plain data, transfers and proxies, nothing else. */
import type { Beyond, FileEntry } from '@/core/fs';
import type { FileFacts } from '@/core/goal';
import type { ImageFingerprint } from '@/core/image';
import type { ScanBatch, SpeedResult } from '@/core/health';
import type { Hit, Survey } from '@/core/inspect';
import type { Layout } from '@/core/layout';
import type { Plan, PlannedTransfer, Scratch } from '@/core/plan';
import type { Recipe } from '@/core/practice';
import type { Certificate } from '@/core/proof';
import type { Paper, PaperFonts } from '@/core/report';
import type { LogLine, RunProgress } from '@/core/run';
import type { WayBack } from './layers';

/** A folder's content: its own files and folders, with what lies below each folder summed up. */
export interface FolderItem extends FileEntry {
  readonly name: string;
  /** Bytes and files below, for a folder; its own size and 1 for a file. */
  readonly totalBytes: number;
  readonly totalFiles: number;
}

/** What was found by name: the first of it, and how much there is in all. */
export interface Found {
  readonly total: number;
  readonly items: readonly FolderItem[];
}

/** Files that somebody who needs room looks at first. */
export interface Notable {
  readonly biggest: readonly FolderItem[];
  readonly oldest: readonly FolderItem[];
}

/** A part of what a folder takes: a folder, a file, or all that is smaller. */
export interface RoomItem {
  readonly path: string;
  readonly name: string;
  readonly kind: 'folder' | 'file' | 'rest';
  readonly bytes: number;
  readonly files: number;
  readonly inside?: readonly RoomItem[];
}

/** Where an unfinished or finished run is. */
export interface RunStatus {
  readonly plan: Plan;
  readonly next: number;
  readonly started: string;
  readonly certificate: Certificate | undefined;
}

/** Progress, and for a practice disk the seconds that a real medium would have taken so far. */
type EngineProgress = RunProgress & { readonly simulated?: number };
export type ProgressListener = (progress: EngineProgress) => void;

/** How a run is to go. */
export interface RunHow {
  /** Volumes whose check finds errors are changed all the same. */
  readonly override?: boolean;
  /** A practice disk takes as long as its medium would. */
  readonly paced?: boolean;
}
export type ExportListener = (done: number, total: number) => void;
/** Told how much of a packed file has been gone through. */
export type OpenListener = (done: number, total: number) => void;

/** How an image is opened. */
export interface OpenHow {
  /** A file that is not the same image is refused. */
  readonly expected?: ImageFingerprint;
  /** A person has said that it is the same though its date is another. */
  readonly otherDate?: boolean;
  /** The files that it is in, where it is in parts. */
  readonly parts?: readonly File[];
  /** Which file of an archive it is. */
  readonly inside?: string;
  /** It may begin like nothing that is known: a disk whose table is gone. */
  readonly tableless?: boolean;
}

/** An image that was opened. */
export interface OpenedImage {
  readonly survey: Survey;
  readonly fingerprint: ImageFingerprint;
}

/** What takes how much of the browser's storage, the largest first. */
export interface StorageUse {
  readonly used?: number;
  readonly quota?: number;
  readonly disks: readonly { readonly id: string; readonly bytes: number }[];
}

/** A part of a disk. Bytes. */
export interface Stretch {
  readonly start: number;
  readonly end: number;
}

/** The forms a disk is saved in: as it is, packed, or with empty space left out. */
export type ImageFormat = 'raw' | 'gz' | 'zip' | 'qcow2' | 'vhd' | 'vhdx';

/** When a practice disk is built: at once, behind everything else once it is quiet, or when it is asked for. */
export type BuildWhen = 'now' | 'behind' | 'asked';

/** The engine as the page sees it; every method is asynchronous across the seam. */
export interface EngineApi {
  /** Takes the bench if no other tab has it; only then anything that is stored is changed. */
  hold(patiently?: boolean): Promise<boolean>;
  /** Returns when the tab that has the bench has let it go. */
  whenFree(): Promise<void>;
  /** Returns when it is built; `when` it is may be later where what is on it is known. */
  openPractice(id: string, recipe: Recipe, when?: BuildWhen): Promise<Survey>;
  /** What a file is known by. */
  fingerprint(file: File): Promise<ImageFingerprint>;
  openImage(id: string, file: File, how?: OpenHow, progress?: OpenListener): Promise<OpenedImage>;
  /** Has the engine call a disk by another name in what it says. */
  rename(id: string, name: string): Promise<void>;
  cancelOpening(id: string): Promise<void>;
  /** Takes the disk's overlay and journal away. */
  forget(id: string): Promise<void>;
  survey(id: string): Promise<Survey>;
  folder(id: string, number: number, path: string): Promise<FolderItem[]>;
  /** What is called so below a folder. */
  findFiles(id: string, number: number, path: string, text: string): Promise<Found>;
  notable(id: string, number: number, path: string): Promise<Notable>;
  /** What takes the room of a folder, two levels deep. */
  room(id: string, number: number, path: string): Promise<RoomItem[]>;
  beyond(id: string, number: number, end: number): Promise<Beyond>;
  /** What the files of a volume, or below one of its folders, are like. */
  facts(id: string, number: number, folder?: string): Promise<FileFacts>;
  /** The first bytes of a file. */
  preview(id: string, number: number, entry: FileEntry, length: number): Promise<Uint8Array>;
  /** Serves a file's content through a port that is transferred. */
  serveFile(id: string, number: number, entry: FileEntry, port: MessagePort): Promise<void>;
  /** Serves a folder, or everything on a volume, as a zip through a port that is transferred. */
  serveFolder(id: string, number: number, path: string, port: MessagePort): Promise<void>;
  /** What the transfers of a planned layout come to, each looked at. */
  transfers(id: string, planned: Layout, lent?: readonly Scratch[]): Promise<PlannedTransfer[]>;
  runStatus(id: string): Promise<RunStatus | undefined>;
  run(id: string, plan: Plan, how: RunHow, progress: ProgressListener): Promise<Certificate>;
  resume(id: string, progress: ProgressListener): Promise<Certificate>;
  /** Stops at the next safe moment. */
  stop(id: string): Promise<void>;
  /** Takes the last run on a disk back, on every disk that it wrote. */
  rewind(id: string): Promise<Survey>;
  /** The runs on a disk that can be taken back, the newest first. */
  waysBack(id: string): Promise<WayBack[]>;
  /** Drops what taking a run, and those before it, back needs; the disk stays as it is. */
  dropWaysBack(id: string, run: string): Promise<void>;
  /** Serves the disk as an image through a port that is transferred. */
  serveImage(id: string, format: ImageFormat, port: MessagePort, part?: Stretch): Promise<void>;
  /** The disk, or a part of it, as a raw image into a file, empty stretches skipped. */
  exportTo(id: string, handle: FileSystemFileHandle, progress: ExportListener, part?: Stretch): Promise<void>;
  /** The log of all runs on a disk that is kept. */
  log(id: string): Promise<LogLine[]>;
  /** Serves what the last run compared a volume with, as CSV, through a port that is transferred. */
  serveManifest(id: string, number: number, port: MessagePort): Promise<void>;
  /** A paper as the bytes of a PDF file. */
  setAsPdf(paper: Paper, fonts: PaperFonts): Promise<Uint8Array>;
  storage(): Promise<StorageUse>;
  /** Reads a stretch of the disk. @returns false where it was stopped before its end */
  scan(id: string, stretch: Stretch, told: (batch: ScanBatch) => void): Promise<boolean>;
  /** @returns nothing where it was stopped before its end */
  speed(id: string, taken: string, told: (share: number) => void): Promise<SpeedResult | undefined>;
  /** What lies on places of a disk. */
  hits(id: string, places: readonly Stretch[]): Promise<Hit[]>;
  /** Stops what reads the whole of a disk. */
  stopTask(id: string): Promise<void>;
  /** Looks at a disk once more. */
  look(id: string): Promise<Survey>;
  /** Looks for volumes that no table names; the survey has them from then on. */
  find(id: string, told: OpenListener): Promise<Survey>;
  /** Looks at what can be mended; the survey says so from then on. */
  lookForMends(id: string): Promise<Survey>;
}
